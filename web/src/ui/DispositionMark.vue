<script setup lang="ts">
import type { Disposition } from '../client'
import { capital } from '../words'

// A word with a shape of its own: colour is never alone.
defineProps<{ of: string; big?: boolean }>()
const colours: Record<Disposition, string> = {
  done: 'text-done',
  ready: 'text-ready',
  reconfigure: 'text-reconfigure',
  refit: 'text-refit',
  decide: 'text-decide',
  replace: 'text-replace',
  undetermined: 'text-undetermined',
}
</script>

<template>
  <span
    class="inline-flex items-baseline gap-1.5 font-semibold whitespace-nowrap"
    :class="colours[of as Disposition]"
  >
    <svg
      viewBox="0 0 16 16"
      class="shrink-0 self-center"
      :class="big ? 'size-5' : 'size-3.5'"
      fill="none"
      stroke="currentColor"
      stroke-width="2"
      aria-hidden="true"
    >
      <template v-if="of === 'done'">
        <circle cx="8" cy="8" r="6" />
        <circle cx="8" cy="8" r="2.2" fill="currentColor" />
      </template>
      <circle v-else-if="of === 'ready'" cx="8" cy="8" r="6" fill="currentColor" />
      <template v-else-if="of === 'reconfigure'">
        <circle cx="8" cy="8" r="6" />
        <path d="M8 2a6 6 0 0 0 0 12z" fill="currentColor" />
      </template>
      <path v-else-if="of === 'refit'" d="M8 1.5 14.5 8 8 14.5 1.5 8z" fill="currentColor" />
      <path v-else-if="of === 'decide'" d="M8 2.2 14.5 13.5 1.5 13.5z" fill="currentColor" />
      <rect v-else-if="of === 'replace'" x="2.5" y="2.5" width="11" height="11" fill="currentColor" />
      <circle v-else cx="8" cy="8" r="6" stroke-dasharray="3 2.2" />
    </svg>
    {{ capital(of) }}
  </span>
</template>
