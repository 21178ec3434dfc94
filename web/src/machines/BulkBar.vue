<script setup lang="ts">
import AppButton from '../ui/AppButton.vue'
import { useQueryCache } from '@pinia/colada'
import { computed, ref } from 'vue'

import { api, ask } from '../client'
import { confirm } from '../ui/confirm'
import { useAction } from '../use/useAction'

const props = defineProps<{ where: string; keys: string[]; total: number }>()
const emit = defineEmits<{ done: [] }>()
const cache = useQueryCache()
const open = ref(false)
const tag = ref('')
const untag = ref('')
const site = ref('')
const { busy, says, trouble, run: act } = useAction()
const many = computed(() => props.keys.length || props.total)
const all = computed(() => (props.total === 1 ? 'this machine' : `all ${props.total} machines`))
const words = (n: number) => (n === 1 ? 'one machine' : `${n} machines`)
const which = computed(() =>
  props.keys.length
    ? { keys: props.keys }
    : { where: props.where || 'retired=no' /* without a filter: all that are in use */ },
)
const run = (what: { tag?: string[]; untag?: string[]; site?: string; retire?: boolean }) =>
  act(async () => {
    const got = await ask(api.POST('/machine-changes', { body: { ...which.value, ...what } }))
    tag.value = untag.value = ''
    await cache.invalidateQueries()
    emit('done')
    return got.says
  })
async function retire() {
  const yes = await confirm({
    title: `Retire ${words(many.value)}?`,
    text: 'They disappear from the lists, return with their next inventory, and are removed later.',
    action: `Retire ${words(many.value)}`,
  })
  if (yes) await run({ retire: true })
}
/** Gives the work on them to somebody; without a name it is taken back. */
const worker = ref('')
const give = () =>
  act(async () => {
    const got = await ask(
      api.POST('/work/assign', { body: { ...which.value, who: worker.value || undefined } }),
    )
    const to = worker.value
    worker.value = ''
    await cache.invalidateQueries()
    emit('done')
    return to
      ? `${words(got.machines)} assigned to ${to}.`
      : `The work on ${words(got.machines)} is no longer assigned.`
  })
const button = 'cursor-pointer rounded-md border border-line px-2.5 py-1 text-sm disabled:opacity-50'
</script>

<template>
  <div class="no-print text-sm">
    <button
      type="button"
      class="cursor-pointer text-soft underline underline-offset-2 hover:text-ink"
      :aria-expanded="open"
      @click="open = !open"
    >
      {{ keys.length ? `Edit ${words(keys.length)}` : `Edit ${all}` }}
    </button>
    <div v-if="open" class="card mt-2 flex flex-wrap items-center gap-x-5 gap-y-2 px-4 py-3">
      <form class="flex items-center gap-1.5" @submit.prevent="run({ tag: [tag] })">
        <label for="add-tag" class="text-soft">Tag</label>
        <input
          id="add-tag"
          v-model="tag"
          required
          maxlength="64"
          pattern="[A-Za-z0-9_\-]+"
          title="Letters, digits, - and _"
          class="entry w-36"
        />
        <AppButton small type="submit" :disabled="busy">Add tag</AppButton>
      </form>
      <form class="flex items-center gap-1.5" @submit.prevent="run({ untag: [untag] })">
        <label for="take-tag" class="text-soft">Tag</label>
        <input id="take-tag" v-model="untag" required maxlength="64" class="entry w-36" />
        <AppButton small type="submit" :disabled="busy">Remove tag</AppButton>
      </form>
      <form class="flex items-center gap-1.5" @submit.prevent="run({ site })">
        <label for="set-site" class="text-soft">Site</label>
        <input id="set-site" v-model="site" maxlength="100" placeholder="from host name" class="entry w-36" />
        <AppButton small type="submit" :disabled="busy">Set site</AppButton>
      </form>
      <form class="flex items-center gap-1.5" @submit.prevent="give">
        <label for="give-work" class="text-soft">Assign to</label>
        <input id="give-work" v-model="worker" maxlength="100" placeholder="nobody" class="entry w-36" />
        <AppButton small type="submit" :disabled="busy">Assign work</AppButton>
      </form>
      <RouterLink
        v-if="!keys.length && where"
        :to="{ name: 'work', query: { tab: 'decisions', for: where } }"
        :class="button"
        >Add decision</RouterLink
      >
      <AppButton small :disabled="busy" @click="retire">Retire</AppButton>
      <p v-if="says" role="status" class="basis-full text-ready">{{ says }}</p>
      <p v-if="trouble" role="alert" class="basis-full text-replace">{{ trouble }}</p>
    </div>
  </div>
</template>
