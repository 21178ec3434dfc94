<script setup lang="ts">
import { useQueryCache } from '@pinia/colada'
import { computed, ref } from 'vue'

import type { Schemas } from '../client'
import SheetIntake from './SheetIntake.vue'

const cache = useQueryCache()
/** What became of a line. */
interface Report {
  place: string
  says: string
  machine?: string
  key?: string
  good: boolean
}
const reports = ref<Report[]>([])
const busy = ref('')
const trouble = ref('')
const refused = computed(() => reports.value.filter((r) => !r.good))
let stop = new AbortController()

/** Hands in inventories, one a line, in pieces, so that there is progress and an end to it. */
async function handIn(lines: string[], name: string) {
  stop = new AbortController()
  const piece = 100
  for (let from = 0; from < lines.length && !stop.signal.aborted; from += piece) {
    busy.value = `${name}: ${from} of ${lines.length}`
    const some = lines.slice(from, from + piece)
    let text: string
    try {
      const answer = await fetch('/api/v1/inventories/lines', {
        method: 'POST',
        headers: { 'Content-Type': 'application/x-ndjson' },
        body: some.join('\n'),
        signal: stop.signal,
      })
      text = await answer.text()
      if (!answer.ok) throw new Error((JSON.parse(text) as { detail?: string }).detail)
    } catch (e) {
      if (!stop.signal.aborted) trouble.value = (e as Error).message || 'The service does not respond.'
      break
    }
    for (const line of text.split('\n').filter(Boolean)) {
      const l = JSON.parse(line) as Schemas['SubmittedLine']
      const place = lines.length > 1 ? `${name}, line ${from + l.line}` : name
      if (l.problem) {
        reports.value.push({ place, good: false, says: l.problem })
        continue
      }
      const what = l.created ? 'a new machine' : l.changed ? 'new readings' : 'unchanged'
      reports.value.push({
        place,
        good: true,
        machine: l.name,
        key: l.machine,
        says: [what, l.disposition, l.note].filter(Boolean).join('; '),
      })
    }
  }
  busy.value = ''
  await cache.invalidateQueries()
}

async function readFiles(event: Event) {
  const input = event.target as HTMLInputElement
  reports.value = []
  trouble.value = ''
  sheet.value = undefined
  for (const file of input.files ?? []) {
    if (/\.(csv|xlsx)$/i.test(file.name)) {
      sheet.value = file
      continue
    }
    const text = await file.text()
    const lines = text.split('\n').filter((l) => l.trim())
    const each = lines.length > 1 && lines.every((l) => l.trim().startsWith('{') && l.trim().endsWith('}'))
    // A document over several lines becomes one.
    await handIn(each ? lines : [text.replaceAll(/\r?\n/g, ' ')], file.name)
  }
  input.value = ''
}

// A spreadsheet is shown before anything is kept.
const sheet = ref<File>()
</script>

<template>
  <label class="text-sm"
    >Inventories that the collector wrote with <code>--output</code>, one per file or one per line; or a
    spreadsheet (CSV or XLSX)
    <input
      type="file"
      multiple
      accept=".json,.ndjson,.csv,.xlsx,application/json,text/csv"
      class="mt-1 block text-sm"
      :disabled="!!busy"
      @change="readFiles"
    />
  </label>
  <p v-if="trouble" role="alert" class="mt-2 text-replace">{{ trouble }}</p>
  <p v-if="busy" role="status" class="mt-2 text-soft">
    Reading {{ busy }}…
    <button type="button" class="cursor-pointer underline" @click="stop.abort()">Stop</button>
  </p>

  <SheetIntake v-if="sheet && !busy" :file="sheet" @imported="cache.invalidateQueries()" />

  <template v-if="reports.length && !busy">
    <p role="status" class="mt-3 font-semibold">
      {{ reports.length - refused.length }} of {{ reports.length }} were imported{{
        refused.length
          ? `; ${refused.length} ${refused.length === 1 ? 'was' : 'were'} refused and changed nothing`
          : ''
      }}.
    </p>
    <ul class="mt-1 text-sm">
      <li
        v-for="r in [...refused, ...reports.filter((r) => r.good)].slice(0, 300)"
        :key="r.place"
        class="py-0.5"
        :data-good="r.good"
      >
        <span :class="r.good ? 'text-ready' : 'text-replace'"
          >{{ r.place }}{{ r.good ? '' : ', refused' }}</span
        >:
        <RouterLink
          v-if="r.key"
          :to="{ name: 'machine', params: { machine: r.key } }"
          class="underline underline-offset-2"
          >{{ r.machine }}</RouterLink
        >
        {{ r.says }}
      </li>
    </ul>
    <p v-if="reports.length > 300" class="text-sm text-soft">… and {{ reports.length - 300 }} more.</p>
  </template>
</template>
