<script setup lang="ts">
import AppButton from '../ui/AppButton.vue'
import { useQueryCache } from '@pinia/colada'
import { computed, ref } from 'vue'

import { api, ask, type Schemas } from '../client'
import { useBulk } from '../use/useBulk'

const props = defineProps<{ where: string; keys: string[]; total: number }>()
const emit = defineEmits<{ done: [] }>()
const cache = useQueryCache()
const open = ref(false)
const tag = ref('')
const untag = ref('')
const site = ref('')
const contact = ref('')
const desk = ref('')
const {
  busy,
  says,
  trouble,
  change,
  run: bulk,
  undo,
} = useBulk(async () => {
  await cache.invalidateQueries()
  emit('done')
})
const all = computed(() => (props.total === 1 ? 'this machine' : `all ${props.total} machines`))
const words = (n: number) => (n === 1 ? 'one machine' : `${n} machines`)
const which = computed(() =>
  props.keys.length
    ? { keys: props.keys }
    : { where: props.where || 'retired=no' /* without a filter: all that are in use */ },
)
type Change = Omit<Schemas['MachineChanges'], 'where' | 'keys' | 'dry_run'>
const run = (action: string, what: Change, text = '') =>
  bulk(
    action,
    (dryRun) =>
      ask(api.POST('/machine-changes', { body: { ...which.value, ...what, dry_run: dryRun || undefined } })),
    text,
  )
const retire = () =>
  run(
    'Retire',
    { retire: true },
    'They disappear from the lists, return with their next inventory, and are removed later. ',
  )
/** Gives the work on them to somebody; without a name it is taken back. */
const worker = ref('')
const day = ref('')
const overwrite = ref(false)
const give = () =>
  bulk(worker.value || day.value ? 'Assign' : 'Take back the work on', (dryRun) =>
    ask(
      api.POST('/work/assign', {
        body: {
          ...which.value,
          who: worker.value || undefined,
          day: day.value || undefined,
          overwrite: overwrite.value || undefined,
          dry_run: dryRun || undefined,
        },
      }),
    ),
  )
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
      <form class="flex items-center gap-1.5" @submit.prevent="run('Tag', { tag: [tag] })">
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
      <form class="flex items-center gap-1.5" @submit.prevent="run('Remove the tag of', { untag: [untag] })">
        <label for="take-tag" class="text-soft">Tag</label>
        <input id="take-tag" v-model="untag" required maxlength="64" class="entry w-36" />
        <AppButton small type="submit" :disabled="busy">Remove tag</AppButton>
      </form>
      <form class="flex items-center gap-1.5" @submit.prevent="run('Set the site of', { site })">
        <label for="set-site" class="text-soft">Site</label>
        <input id="set-site" v-model="site" maxlength="100" placeholder="from host name" class="entry w-36" />
        <AppButton small type="submit" :disabled="busy">Set site</AppButton>
      </form>
      <form class="flex items-center gap-1.5" @submit.prevent="give">
        <label for="give-work" class="text-soft">Assign to</label>
        <input id="give-work" v-model="worker" maxlength="100" placeholder="nobody" class="entry w-36" />
        <label for="give-day" class="text-soft">on</label>
        <input id="give-day" v-model="day" type="date" class="entry w-36" />
        <label class="flex items-center gap-1 text-soft">
          <input v-model="overwrite" type="checkbox" /> over others
        </label>
        <AppButton small type="submit" :disabled="busy">Assign work</AppButton>
      </form>
      <form
        class="flex items-center gap-1.5"
        @submit.prevent="run('Set the contact of', { contact, desk: desk || undefined })"
      >
        <label for="set-contact" class="text-soft">Contact</label>
        <input id="set-contact" v-model="contact" maxlength="200" placeholder="nobody" class="entry w-36" />
        <label for="set-desk" class="text-soft">Desk</label>
        <input id="set-desk" v-model="desk" maxlength="200" placeholder="as it is" class="entry w-28" />
        <AppButton small type="submit" :disabled="busy">Set contact</AppButton>
      </form>
      <RouterLink
        v-if="!keys.length && where"
        :to="{ name: 'work', query: { tab: 'decisions', for: where } }"
        :class="button"
        >Add decision</RouterLink
      >
      <AppButton small :disabled="busy" @click="retire">Retire</AppButton>
      <p v-if="says" role="status" class="basis-full text-ready">
        {{ says }}
        <AppButton v-if="change" kind="link" small class="ml-2" :disabled="busy" @click="undo"
          >Undo</AppButton
        >
      </p>
      <p v-if="trouble" role="alert" class="basis-full text-replace">{{ trouble }}</p>
    </div>
  </div>
</template>
