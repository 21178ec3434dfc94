<script setup lang="ts">
import { computed } from 'vue'

import type { Schemas } from '../client'
import { number } from '../words'
import DispositionMark from '../ui/DispositionMark.vue'

const props = defineProps<{ counts: Schemas['Count'][]; thin?: boolean }>()
const shown = computed(() => props.counts.filter((c) => c.count > 0))
const total = computed(() => props.counts.reduce((sum, c) => sum + c.count, 0))
const link = (c: Schemas['Count']) => ({ name: 'machines', query: { where: c.where } })
</script>

<template>
  <!-- Too small to aim at without a pointer: the place beside it leads to its machines, too. -->
  <div
    :aria-hidden="thin || undefined"
    class="flex gap-[2px] overflow-hidden"
    :class="thin ? 'h-3.5 rounded-[4px]' : 'h-10 rounded-lg'"
  >
    <RouterLink
      v-for="c in shown"
      :key="c.name"
      :to="link(c)"
      :tabindex="thin ? -1 : undefined"
      class="block min-w-1 transition-opacity hover:opacity-80"
      :class="`fill-${c.name}`"
      :style="{ flexGrow: c.count, flexBasis: 0 }"
      :aria-label="`${c.count} ${c.name}`"
      :title="`${c.count} ${c.name}`"
    />
  </div>
  <ul v-if="!thin" class="mt-2.5 mb-6 flex flex-wrap gap-x-8 gap-y-2">
    <li v-for="c in counts" :key="c.name">
      <RouterLink :to="link(c)" class="group block" :data-disposition="c.name">
        <span class="text-[21px] font-semibold group-hover:underline">{{ number(c.count) }}</span>
        <span v-if="total" class="ml-1.5 text-sm text-soft">{{ Math.round((100 * c.count) / total) }} %</span>
        <span class="block text-sm"><DispositionMark :of="c.name" /></span>
      </RouterLink>
    </li>
  </ul>
</template>
