<script setup lang="ts">
import { computed } from 'vue'

import type { Schemas } from '../client'
import { number } from '../words'
import DispositionStrip from './DispositionStrip.vue'

/** Groups of machines, each with its dispositions; to scale, the largest group has the whole width. */
const props = defineProps<{
  groups: Schemas['SiteCounts'][]
  name: (group: string) => string
  says: (group: Schemas['SiteCounts']) => string
  scaled?: boolean
}>()
const largest = computed(() => Math.max(1, ...props.groups.map((p) => p.total)))
const width = (p: Schemas['SiteCounts']) => `${props.scaled ? (100 * p.total) / largest.value : 100}%`
const list = (where: string) => ({ name: 'machines', query: { where } })
</script>

<template>
  <ul>
    <li
      v-for="p in groups"
      :key="p.site"
      class="grid grid-cols-[minmax(0,9.5rem)_1fr_3.4rem] items-center gap-x-3 py-1"
    >
      <RouterLink :to="list(p.where)" class="truncate underline-offset-2 hover:underline">{{
        name(p.site)
      }}</RouterLink>
      <div :style="{ width: width(p) }">
        <DispositionStrip :counts="p.dispositions" thin />
      </div>
      <RouterLink
        :to="list(p.where)"
        class="text-right font-semibold underline-offset-2 hover:underline"
        :aria-label="says(p)"
      >
        {{ number(p.total) }}
      </RouterLink>
    </li>
  </ul>
</template>
