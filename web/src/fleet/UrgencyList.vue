<script setup lang="ts">
import { computed } from 'vue'

import type { Schemas } from '../client'
import { number } from '../words'

/** Machines by the days until the end of support of what they run, the most urgent first, as lengths. */
const props = defineProps<{ bands: Schemas['Count'][] }>()
const largest = computed(() => Math.max(1, ...props.bands.map((b) => b.count)))
const list = (where: string) => ({ name: 'machines', query: { where, sort: 'ends' } })
/** Bands that somebody has to act on now. */
const pressing = (b: Schemas['Count']) => b.name === 'over' || b.name === '30'
</script>

<template>
  <ul>
    <li
      v-for="b in bands"
      :key="b.name"
      class="grid grid-cols-[minmax(0,13rem)_1fr_3.4rem] items-center gap-x-3 py-1"
    >
      <RouterLink
        :to="list(b.where)"
        class="underline-offset-2 hover:underline"
        :class="pressing(b) ? 'font-semibold' : ''"
        >{{ b.says }}</RouterLink
      >
      <div class="h-2.5 rounded-[3px] bg-shade" aria-hidden="true">
        <div
          class="h-full rounded-[3px]"
          :class="pressing(b) ? 'bg-accent' : 'bg-accent/45'"
          :style="{ width: `${(100 * b.count) / largest}%` }"
        />
      </div>
      <RouterLink
        :to="list(b.where)"
        class="text-right font-semibold underline-offset-2 hover:underline"
        :aria-label="`${b.count} machines: ${b.says}`"
        >{{ number(b.count) }}</RouterLink
      >
    </li>
  </ul>
</template>
