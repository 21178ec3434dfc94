<script setup lang="ts">
import AppButton from '../ui/AppButton.vue'
import { useQuery } from '@pinia/colada'
import { computed, ref, watch } from 'vue'

import { api, ask, ifUnchanged, type Schemas } from '../client'
import { queries } from '../queries'
import { useAction } from '../use/useAction'

/** Adds a wave, or changes the one that is given. */
const props = defineProps<{ wave?: Schemas['Wave'] }>()
const emit = defineEmits<{ made: [wave: Schemas['WaveDetail']] }>()
const blank = (): Schemas['MakeWave'] => ({
  name: '',
  rule: '',
  most: 20,
  starts: '',
  ends: '',
  pilot: false,
  release: undefined,
  note: '',
  stop_percent: 0,
  reschedule: false,
})
const w = ref(blank())
watch(
  () => props.wave,
  (old) => {
    w.value = old
      ? {
          name: old.name,
          rule: old.rule,
          most: old.most,
          starts: old.starts,
          ends: old.ends,
          pilot: old.pilot,
          release: old.release,
          note: old.note ?? '',
          stop_percent: old.stop_percent ?? 0,
          reschedule: false,
        }
      : blank()
  },
  { immediate: true },
)
const releases = useQuery(queries.releases())
const targets = computed(() => (releases.data.value?.releases ?? []).filter((r) => r.target))
watch(targets, (t) => (w.value.release ??= t[0]?.id), { immediate: true })
const { busy, trouble, run } = useAction()
const save = () =>
  run(async () => {
    const body = { ...w.value, note: w.value.note || undefined, reschedule: w.value.reschedule || undefined }
    emit(
      'made',
      props.wave
        ? await ask(
            api.PUT('/waves/{id}', {
              params: { path: { id: props.wave.id } },
              body,
              headers: ifUnchanged(props.wave),
            }),
          )
        : await ask(api.POST('/waves', { body })),
    )
  })
</script>

<template>
  <form class="card grid grid-cols-2 gap-x-4 gap-y-3 p-4" @submit.prevent="save">
    <label class="field"
      >Name <input v-model="w.name" required maxlength="100" class="entry mt-0.5 block w-full"
    /></label>
    <label class="field"
      >To
      <select v-model="w.release" class="entry mt-0.5 block w-full">
        <option v-for="t in targets" :key="t.id" :value="t.id">{{ t.name }}</option>
      </select>
    </label>
    <label class="field col-span-2"
      >Rule: machines that can enter
      <input
        v-model="w.rule"
        required
        maxlength="2000"
        placeholder='site="Gull Quay" tag=counter'
        class="entry mt-0.5 block w-full"
      />
    </label>
    <label class="field"
      >First day <input v-model="w.starts" type="date" required class="entry mt-0.5 block w-full"
    /></label>
    <label class="field"
      >Last day <input v-model="w.ends" type="date" required class="entry mt-0.5 block w-full"
    /></label>
    <label class="field"
      >At most
      <input v-model.number="w.most" type="number" min="1" required class="entry mt-0.5 block w-full"
    /></label>
    <label class="flex items-end gap-2 pb-1 text-sm">
      <input v-model="w.pilot" type="checkbox" /> Pilot
    </label>
    <label class="field"
      >Pause when more than so many percent failed (0: never)
      <input
        v-model.number="w.stop_percent"
        type="number"
        min="0"
        max="100"
        required
        class="entry mt-0.5 block w-full"
    /></label>
    <label v-if="wave" class="flex items-end gap-2 pb-1 text-sm">
      <input v-model="w.reschedule" type="checkbox" /> Give waiting machines new days
    </label>
    <label class="field col-span-2"
      >Note <input v-model="w.note" maxlength="500" class="entry mt-0.5 block w-full"
    /></label>
    <div class="col-span-2">
      <AppButton kind="main" type="submit" :disabled="busy">
        {{ wave ? 'Save' : 'Add wave' }}
      </AppButton>
    </div>
    <p v-if="trouble" role="alert" class="col-span-2 text-replace">{{ trouble }}</p>
  </form>
</template>
