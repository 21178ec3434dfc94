<script setup lang="ts">
import { computed } from 'vue'

import type { Schemas } from '../client'

const props = defineProps<{ finding: Schemas['AssessFinding'] }>()
// The bar ends a little beyond the larger value, so that the mark has room.
const end = computed(() => {
  const m = props.finding.measure
  return m ? Math.max(m.has, m.needs) * 1.25 : 1
})
const part = (n: number) => `${Math.min(100, (100 * n) / end.value)}%`
</script>

<template>
  <div v-if="finding.measure" class="pt-2">
    <div class="relative h-3 rounded-full bg-shade" :title="finding.measure.exact" aria-hidden="true">
      <i
        class="absolute inset-y-0 left-0 rounded-full bg-accent"
        :style="{ width: part(finding.measure.has) }"
      />
      <i class="absolute -inset-y-1 w-0.5 bg-ink" :style="{ left: part(finding.measure.needs) }" />
    </div>
    <p class="mt-1.5 flex flex-wrap justify-between gap-x-4 text-[13px] text-soft">
      <span
        >has <b class="text-ink">{{ finding.has }}</b></span
      >
      <span
        >needs <b class="text-ink">{{ finding.needs }}</b></span
      >
    </p>
  </div>
</template>
