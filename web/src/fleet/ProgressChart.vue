<script setup lang="ts">
import { computed } from 'vue'

import type { Schemas } from '../client'
import { capital, dispositions, number, sayDay } from '../words'

const props = defineProps<{ days: Schemas['ProgressDay'][] }>()
const width = 560
const height = 150
/** A column a day; days on which the service did not run are gaps. */
const columns = computed(() => {
  const first = Date.parse(props.days[0]!.day)
  const span = Math.max(1, (Date.parse(props.days.at(-1)!.day) - first) / 86_400_000 + 1)
  const most = Math.max(1, ...props.days.map((d) => d.total))
  const wide = width / span
  return props.days.map((d) => {
    const x = ((Date.parse(d.day) - first) / 86_400_000) * wide
    let y = height
    const parts = dispositions.map((name) => {
      const tall = (height * (d.dispositions[name] ?? 0)) / most
      y -= tall
      return { name, y, tall }
    })
    return { day: d.day, x, wide: wide > 12 ? wide - 2 : wide + 0.3, parts }
  })
})
const says = computed(() => {
  const first = props.days[0]!
  const last = props.days.at(-1)!
  const more = (last.dispositions.ready ?? 0) - (first.dispositions.ready ?? 0)
  const since = `since ${sayDay(first.day)}`
  if (more === 0) return `As many machines are ready as ${since.replace('since', 'on')}.`
  return `${number(Math.abs(more))} ${more > 0 ? 'more' : 'fewer'} machines are ready ${since}.`
})
// Some days are enough for the table.
const rows = computed(() => {
  const step = Math.max(1, Math.ceil(props.days.length / 14))
  return props.days.filter((_, i) => (props.days.length - 1 - i) % step === 0)
})
</script>

<template>
  <p class="mb-2">{{ says }}</p>
  <svg :viewBox="`0 0 ${width} ${height}`" class="block w-full" role="img" :aria-label="says">
    <defs>
      <pattern id="dots" width="4" height="4" patternUnits="userSpaceOnUse">
        <rect width="4" height="4" fill="var(--undetermined-soft)" />
        <rect width="2" height="4" fill="var(--undetermined)" />
      </pattern>
    </defs>
    <g v-for="c in columns" :key="c.day">
      <rect
        v-for="p in c.parts"
        :key="p.name"
        :x="c.x"
        :y="p.y"
        :width="c.wide"
        :height="p.tall"
        :fill="p.name === 'undetermined' ? 'url(#dots)' : `var(--${p.name})`"
      />
    </g>
  </svg>
  <details class="mt-1 text-[13px] text-soft">
    <summary class="cursor-pointer">As a table; from the bottom: {{ dispositions.join(', ') }}</summary>
    <table class="mt-2 w-full text-right">
      <thead>
        <tr>
          <th scope="col" class="pr-2 text-left font-normal">Day</th>
          <th v-for="d in dispositions" :key="d" scope="col" class="pl-2 font-normal">{{ capital(d) }}</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="r in rows" :key="r.day" class="border-t border-line/60">
          <th scope="row" class="pr-2 text-left font-normal whitespace-nowrap">{{ sayDay(r.day) }}</th>
          <td v-for="d in dispositions" :key="d" class="pl-2 text-ink">{{ r.dispositions[d] ?? 0 }}</td>
        </tr>
      </tbody>
    </table>
  </details>
</template>
