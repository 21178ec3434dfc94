<script setup lang="ts">
import { computed } from 'vue'

import type { Schemas } from '../client'
import { number } from '../words'

/** What becomes of each row of a spreadsheet: how many of each kind, and those that somebody should look at. */
const props = defineProps<{ sheet: Schemas['SheetRead'] }>()
type State = Schemas['ImportedRow']['state']
const states: { state: State; says: string }[] = [
  { state: 'conflict', says: 'known machines that differ: both values stay, for a person to decide' },
  { state: 'duplicate', says: 'new machines that may be known ones' },
  { state: 'no-effect', says: 'known machines that speak for themselves: no effect' },
  { state: 'fills-gaps', says: 'known machines, of which gaps are filled' },
  { state: 'replaces', says: 'replace what an earlier import said' },
  { state: 'new', says: 'new machines' },
  { state: 'nothing-new', says: 'known machines with nothing new' },
]
const present = computed(() => states.filter((s) => props.sheet.counts[s.state]))
const rows = (state: State) => props.sheet.imported.filter((r) => r.state === state)
</script>

<template>
  <section aria-label="What becomes of the rows" class="mb-3 text-sm">
    <details v-for="s in present" :key="s.state" :open="s.state === 'conflict' || s.state === 'duplicate'">
      <summary class="cursor-pointer py-0.5">
        <b>{{ number(sheet.counts[s.state] ?? 0) }}</b> {{ s.says }}
      </summary>
      <ul class="max-h-60 overflow-y-auto pl-5">
        <li v-for="r in rows(s.state)" :key="r.row" class="py-0.5">
          Row {{ r.row }}, <b>{{ r.name }}</b>: <span class="text-soft">{{ r.says }}</span>
        </li>
      </ul>
    </details>
  </section>
</template>
