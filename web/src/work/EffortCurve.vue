<script setup lang="ts">
import { computed } from 'vue'

import type { Schemas } from '../client'
import { hours, number } from '../words'

/** How many machines are ready after how much work. The table of picks beside it says the same. */
const props = defineProps<{ wins: Schemas['Wins'] }>()
const width = 440
const height = 170
const left = 34
const middle = (m: { least: number; most: number }) => (m.least + m.most) / 2
const points = computed(() => {
  const picks = props.wins.picks
  const longest = Math.max(1, ...picks.map((p) => middle(p.minutes_so_far)))
  const x = (m: number) => left + ((width - left - 6) * m) / longest
  const y = (n: number) => height - 18 - ((height - 28) * n) / Math.max(1, props.wins.machines)
  return {
    longest,
    all: [
      { x: x(0), y: y(props.wins.ready), says: `${number(props.wins.ready)} ready now` },
      ...picks.map((p, i) => ({
        x: x(middle(p.minutes_so_far)),
        y: y(p.ready),
        says: `after ${i + 1}: ${number(p.ready)} ready, ${hours(p.minutes_so_far)} in all`,
      })),
    ],
    top: y(props.wins.machines),
    foot: y(0),
  }
})
const line = computed(() =>
  points.value.all.map((p, i) => `${i ? 'L' : 'M'}${p.x.toFixed(1)} ${p.y.toFixed(1)}`).join(''),
)
const area = computed(() => {
  const all = points.value.all
  return `${line.value}L${all.at(-1)!.x.toFixed(1)} ${points.value.foot}L${all[0]!.x} ${points.value.foot}Z`
})
const last = computed(() => props.wins.picks.at(-1)!)
const says = computed(() => {
  const { ready, machines } = props.wins
  const then = `${number(last.value.ready)} of ${number(machines)} machines ready`
  return `From ${number(ready)} to ${then} in ${hours(last.value.minutes_so_far)}.`
})
</script>

<template>
  <p class="mb-2">{{ says }}</p>
  <svg :viewBox="`0 0 ${width} ${height}`" class="block w-full" role="img" :aria-label="says">
    <line
      :x1="left"
      :x2="width"
      :y1="points.top"
      :y2="points.top"
      stroke="var(--line)"
      stroke-dasharray="4 3"
    />
    <line :x1="left" :x2="width" :y1="points.foot" :y2="points.foot" stroke="var(--line)" />
    <text :x="left - 5" :y="points.top + 4" text-anchor="end" font-size="12" fill="var(--ink-soft)">
      {{ number(wins.machines) }}
    </text>
    <text :x="left - 5" :y="points.foot + 2" text-anchor="end" font-size="12" fill="var(--ink-soft)">0</text>
    <text :x="left" :y="height - 3" font-size="12" fill="var(--ink-soft)">no time yet</text>
    <text :x="width - 2" :y="height - 3" text-anchor="end" font-size="12" fill="var(--ink-soft)">
      about {{ number(Math.round(points.longest / 60)) }} hours
    </text>
    <path :d="area" fill="var(--ready)" opacity="0.18" />
    <path :d="line" fill="none" stroke="var(--ready)" stroke-width="2" />
    <circle v-for="(p, i) in points.all" :key="i" :cx="p.x" :cy="p.y" r="3.2" fill="var(--ready)">
      <title>{{ p.says }}</title>
    </circle>
  </svg>
  <p class="mt-1 text-[13px] text-soft">
    Time is the middle of the estimates. It does not include replacing machines.
  </p>
</template>
