<script setup lang="ts">
import AppButton from '../ui/AppButton.vue'
import { useQuery } from '@pinia/colada'
import { computed, ref, watch } from 'vue'

import { api, ask, type Schemas } from '../client'
import { queries } from '../queries'
import { count } from '../words'
import { useAction } from '../use/useAction'

/** Decides something about machines until a date. */
const props = defineProps<{ scope?: string; manages: boolean; fails?: { id: string; title: string }[] }>()
const emit = defineEmits<{ made: [] }>()
type Kind = Schemas['MakeDecision']['kind']
const kinds: { id: Kind; title: string; about: string; manage: boolean }[] = [
  {
    id: 'later',
    title: 'Postpone',
    about: 'No visits and no upgrade until after this day.',
    manage: false,
  },
  {
    id: 'waive',
    title: 'Waive a requirement',
    about:
      'Accept that it fails. Possible if the release installs without it, or if it is your house standard.',
    manage: true,
  },
  {
    id: 'stay',
    title: 'Stay',
    about: 'They stay on their release, without work and outside the forecast.',
    manage: true,
  },
  { id: 'hold', title: 'Hold', about: 'They are prepared but cannot enter a wave.', manage: true },
]
const may = computed(() => kinds.filter((k) => props.manages || !k.manage))
const kind = ref<Kind>('later')
const scope = ref(props.scope ?? '')
watch(
  () => props.scope,
  (s) => (scope.value = s ?? ''),
)
const requirement = ref('')
const reason = ref('')
const until = ref('')
const ahead = ref(false)
const { busy, says, trouble, run } = useAction()
/** What may be waived of the targets: the service refuses the rest and says why. */
const targets = useQuery(queries.targets())
const releases = useQuery(() => ({
  ...queries.targetReleases(
    [targets.data.value?.pc, targets.data.value?.mac].filter((id): id is string => !!id),
  ),
  enabled: !!targets.data.value,
}))
const requirements = computed(
  () =>
    props.fails ??
    (releases.data.value ?? []).flatMap((r) =>
      r.requirements
        .filter((q) => q.level === 'must' && !q.interim)
        .map((q) => ({ id: q.id, title: `${q.title} · ${r.name}` })),
    ),
)
const make = () =>
  run(async () => {
    const d = await ask(
      api.POST('/decisions', {
        body: {
          kind: kind.value,
          scope: scope.value,
          requirement: kind.value === 'waive' ? requirement.value : undefined,
          reason: reason.value,
          until: until.value,
          ahead: ahead.value || undefined,
        },
      }),
    )
    reason.value = ''
    emit('made')
    return `${d.says} It is for ${count(d.machines, 'machine', 'machines')}.`
  })
</script>

<template>
  <form class="card grid gap-x-4 gap-y-3 p-4 sm:grid-cols-2" @submit.prevent="make">
    <label class="field"
      >What
      <select v-model="kind" class="entry mt-0.5 block w-full">
        <option v-for="k in may" :key="k.id" :value="k.id">{{ k.title }}</option>
      </select>
    </label>
    <label class="field"
      >Until (inclusive)
      <input v-model="until" type="date" required class="entry mt-0.5 block w-full" />
    </label>
    <p class="text-sm text-soft sm:col-span-2">{{ kinds.find((k) => k.id === kind)?.about }}</p>
    <label v-if="props.scope === undefined" class="field sm:col-span-2"
      >For machines with
      <input
        v-model="scope"
        required
        maxlength="2000"
        placeholder='site="Gull Quay" fails=secure-boot-on'
        class="entry mt-0.5 block w-full"
      />
    </label>
    <label v-if="kind === 'waive'" class="field sm:col-span-2"
      >The requirement that may fail
      <select v-model="requirement" required class="entry mt-0.5 block w-full">
        <option v-for="q in requirements" :key="q.title" :value="q.id">{{ q.title }}</option>
      </select>
    </label>
    <label class="field sm:col-span-2"
      >Reason
      <input v-model="reason" required maxlength="500" class="entry mt-0.5 block w-full" />
    </label>
    <label v-if="props.scope === undefined" class="flex items-baseline gap-2 text-sm sm:col-span-2">
      <input v-model="ahead" type="checkbox" /> Accept a filter that matches no machine yet
    </label>
    <div class="sm:col-span-2">
      <AppButton kind="main" type="submit" :disabled="busy"> Add decision </AppButton>
    </div>
    <p v-if="says" role="status" class="text-ready sm:col-span-2">{{ says }}</p>
    <p v-if="trouble" role="alert" class="text-replace sm:col-span-2">{{ trouble }}</p>
  </form>
</template>
