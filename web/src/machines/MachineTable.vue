<script setup lang="ts">
import type { Schemas } from '../client'
import DispositionMark from '../ui/DispositionMark.vue'
import { ago, capital, count, sayDay, sayMoment } from '../words'
import { heading } from './columns'

/** A page of machines. Its headings order the list; chosen are the keys of machines. */
const props = defineProps<{
  machines: Schemas['MachineRow'][]
  facts: string[]
  sort: string
  may: boolean
}>()
const emit = defineEmits<{ order: [key: string] }>()
const chosen = defineModel<string[]>('chosen', { required: true })
const columns = [
  { key: 'name', label: 'Machine' },
  { key: 'disposition', label: 'What it takes' },
  { key: 'site', label: 'Site' },
  { key: 'model', label: 'Model' },
  { key: 'installed', label: 'Runs' },
  { key: 'ends', label: 'Support' },
  { key: 'taken', label: 'Inventory' },
]
/** How long what a machine runs is still supported. */
function left(d: Schemas['MachineRow']) {
  if (d.days_left === undefined) return ''
  return d.days_left < 0 ? 'has ended' : count(d.days_left, 'day', 'days')
}
const direction = (key: string) =>
  props.sort === key ? 'ascending' : props.sort === '-' + key ? 'descending' : 'none'
</script>

<template>
  <div class="overflow-x-auto">
    <table class="w-full border-collapse text-left">
      <thead>
        <tr class="border-b border-line text-sm text-soft">
          <th v-if="may" scope="col" class="w-7 py-1.5 pr-2 font-normal">
            <input
              type="checkbox"
              aria-label="Select all on this page"
              :checked="chosen.length === machines.length"
              @change="chosen = ($event.target as HTMLInputElement).checked ? machines.map((d) => d.key) : []"
            />
          </th>
          <th
            v-for="c in columns"
            :key="c.key"
            scope="col"
            class="py-1.5 pr-4 font-normal"
            :aria-sort="direction(c.key)"
          >
            <button
              type="button"
              class="cursor-pointer whitespace-nowrap hover:text-ink"
              :class="direction(c.key) !== 'none' ? 'font-semibold text-ink' : ''"
              @click="emit('order', c.key)"
            >
              {{ c.label }}
              <span aria-hidden="true">{{
                { ascending: '↑', descending: '↓', none: '' }[direction(c.key)]
              }}</span>
            </button>
          </th>
          <th
            v-for="f in facts"
            :key="f"
            scope="col"
            class="py-1.5 pl-4 font-normal"
            :aria-sort="direction(f)"
          >
            <button
              type="button"
              class="cursor-pointer whitespace-nowrap hover:text-ink"
              @click="emit('order', f)"
            >
              {{ heading(f) }}
              <span aria-hidden="true">{{
                { ascending: '↑', descending: '↓', none: '' }[direction(f)]
              }}</span>
            </button>
          </th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="d in machines" :key="d.key" class="border-b border-line/60 align-baseline">
          <td v-if="may" class="py-1.5 pr-2">
            <input v-model="chosen" type="checkbox" :value="d.key" :aria-label="`Select ${d.name}`" />
          </td>
          <td class="py-1.5 pr-4 font-semibold whitespace-nowrap">
            <RouterLink
              :to="{ name: 'machine', params: { machine: d.key } }"
              class="underline-offset-2 hover:underline"
              >{{ d.name }}</RouterLink
            >
            <span
              v-for="t in d.tags"
              :key="t"
              class="ml-1.5 rounded border border-line px-1 text-xs font-normal text-soft"
              >{{ t }}</span
            >
            <span v-if="d.duplicate" class="ml-1.5 text-xs font-normal text-replace">possible duplicate</span>
            <span v-if="d.retired" class="ml-1.5 text-xs font-normal text-soft">retired</span>
          </td>
          <td class="min-w-64 py-1.5 pr-4">
            <template v-if="d.disposition"
              ><DispositionMark :of="d.disposition" /><span class="text-soft">{{
                d.certainty === 'expected' && d.disposition !== 'undetermined' ? ', expected' : ''
              }}</span></template
            >
            <span v-else class="text-soft">Not checked</span>
            <span v-if="d.disposition && d.disposition !== 'ready'" class="block text-sm text-soft">{{
              capital(d.answer ?? '')
            }}</span>
          </td>
          <td class="py-1.5 pr-4 whitespace-nowrap">{{ d.site }}</td>
          <td class="py-1.5 pr-4 whitespace-nowrap">{{ d.manufacturer }} {{ d.model }}</td>
          <td class="py-1.5 pr-4 whitespace-nowrap">{{ d.installed }}</td>
          <td
            class="py-1.5 pr-4 whitespace-nowrap"
            :class="(d.days_left ?? 999) <= 30 ? 'font-semibold' : 'text-soft'"
            :title="d.support_ends && sayDay(d.support_ends)"
          >
            {{ left(d) }}
          </td>
          <td
            class="py-1.5 whitespace-nowrap"
            :class="d.stale ? 'font-semibold' : 'text-soft'"
            :title="sayMoment(d.taken_at)"
          >
            {{ ago(d.taken_at) }}<span v-if="d.stale" class="sr-only">(overdue)</span>
          </td>
          <td v-for="f in facts" :key="f" class="py-1.5 pl-4">
            {{ d.facts?.[f] ?? '' }}<span v-if="!d.facts?.[f]" class="text-soft">unknown</span>
          </td>
        </tr>
      </tbody>
    </table>
  </div>
</template>
