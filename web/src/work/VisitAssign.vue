<script setup lang="ts">
import { ref } from 'vue'

import { api, ask } from '../client'
import AppButton from '../ui/AppButton.vue'
import { useBulk } from '../use/useBulk'
import { count } from '../words'

/** Gives chosen visits to somebody, on a day; the change can be undone. */
const props = defineProps<{ keys: string[] }>()
const emit = defineEmits<{ changed: []; done: [] }>()
const who = ref('')
const note = ref('')
const day = ref('')
const half = ref('')
const overwrite = ref(false)
const overbook = ref(false)
const { busy, says, trouble, change, run, undo } = useBulk(() => emit('changed'))
async function give() {
  const given = who.value || note.value || day.value
  const ok = await run(given ? 'Assign' : 'Remove the assignment of', (dryRun) =>
    ask(
      api.POST('/work/assign', {
        body: {
          keys: props.keys,
          who: who.value || undefined,
          note: note.value || undefined,
          day: day.value || undefined,
          half: half.value || undefined,
          overwrite: overwrite.value || undefined,
          overbook: overbook.value || undefined,
          dry_run: dryRun || undefined,
        },
      }),
    ),
  )
  if (ok && change.value) emit('done')
}
</script>

<template>
  <form class="no-print mb-3 flex flex-wrap items-center gap-x-3 gap-y-2 text-sm" @submit.prevent="give">
    <span class="text-soft">{{
      keys.length
        ? `Assign ${count(keys.length, 'visit', 'visits')} to`
        : 'Select visits below to assign them'
    }}</span>
    <template v-if="keys.length">
      <label class="sr-only" for="who">Who</label>
      <input id="who" v-model="who" maxlength="100" placeholder="technician, east" class="entry w-44" />
      <label class="sr-only" for="work-note">Note</label>
      <input id="work-note" v-model="note" maxlength="500" placeholder="Note" class="entry w-56" />
      <label class="text-soft">on <input v-model="day" type="date" class="entry ml-1 w-36" /></label>
      <label class="sr-only" for="half">Half of the day</label>
      <select id="half" v-model="half" class="entry w-32" :disabled="!day">
        <option value="">whole day</option>
        <option value="am">morning</option>
        <option value="pm">afternoon</option>
      </select>
      <label class="flex items-center gap-1 text-soft">
        <input id="overwrite" v-model="overwrite" type="checkbox" /> also others’ visits
      </label>
      <label class="flex items-center gap-1 text-soft">
        <input v-model="overbook" type="checkbox" /> overbook the day
      </label>
      <AppButton small type="submit" :disabled="busy">
        {{ who || note || day ? 'Assign visits' : 'Remove assignment' }}
      </AppButton>
    </template>
  </form>
  <p v-if="says" role="status" class="mb-2 text-sm text-ready">
    {{ says }}
    <AppButton v-if="change" kind="link" small class="ml-2" :disabled="busy" @click="undo">Undo</AppButton>
  </p>
  <p v-if="trouble" role="alert" class="mb-2 text-sm text-replace">{{ trouble }}</p>
</template>
