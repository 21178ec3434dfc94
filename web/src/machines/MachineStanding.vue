<script setup lang="ts">
import { ref } from 'vue'

import { api, ask, type Schemas } from '../client'
import AppButton from '../ui/AppButton.vue'
import { useAction } from '../use/useAction'
import { sayMoment } from '../words'

/** What was decided about a machine and what is under way, with notes: what the help desk needs at a glance. */
const props = defineProps<{ machine: Schemas['Machine']; may: boolean }>()
const emit = defineEmits<{ changed: [] }>()
const writing = ref(false)
const note = ref('')
const { busy, trouble, run } = useAction()
const path = () => ({ key: props.machine.key })
/** The notes have a list of their own below. */
const lines = () => props.machine.standing.filter((s) => s.kind !== 'note')
async function done(f: () => Promise<unknown>) {
  if (await run(async () => void (await f()))) emit('changed')
}
const add = () =>
  done(async () => {
    await ask(api.POST('/machines/{key}/notes', { params: { path: path() }, body: { text: note.value } }))
    note.value = ''
    writing.value = false
  })
const remove = (id: number) =>
  done(() => ask(api.DELETE('/machines/{key}/notes/{id}', { params: { path: { ...path(), id } } })))
</script>

<template>
  <section
    v-if="lines().length || machine.notes?.length || may"
    aria-label="Decided and under way"
    class="mb-4"
  >
    <ul v-if="lines().length" class="border-l-2 border-accent pl-3">
      <li v-for="s in lines()" :key="s.kind + s.says">
        <RouterLink
          v-if="(s.kind === 'wave' || s.kind === 'record') && s.id"
          :to="{ name: 'wave', params: { id: s.id } }"
          class="underline-offset-2 hover:underline"
          >{{ s.says }}</RouterLink
        >
        <template v-else>{{ s.says }}</template>
      </li>
    </ul>
    <ul v-if="machine.notes?.length" aria-label="Notes" class="mt-2 text-sm">
      <li v-for="n in machine.notes" :key="n.id" class="border-t border-line/60 py-1">
        {{ n.text }}
        <span class="text-soft"> · {{ n.by }}, {{ sayMoment(n.at) }}</span>
        <AppButton
          v-if="may"
          kind="link"
          small
          class="no-print ml-2"
          :disabled="busy"
          :aria-label="`Remove the note: ${n.text}`"
          @click="remove(n.id)"
          >Remove</AppButton
        >
      </li>
    </ul>
    <div v-if="may" class="no-print mt-1 text-sm">
      <AppButton kind="link" small :aria-expanded="writing" @click="writing = !writing">{{
        writing ? 'Close' : 'Add note'
      }}</AppButton>
      <form v-if="writing" class="mt-1 flex flex-wrap items-end gap-2" @submit.prevent="add">
        <label class="sr-only" for="note">Note</label>
        <input id="note" v-model="note" required maxlength="2000" class="entry w-96 max-w-full" />
        <AppButton small type="submit" :disabled="busy">Save note</AppButton>
      </form>
      <p v-if="trouble" role="alert" class="text-replace">{{ trouble }}</p>
    </div>
  </section>
</template>
