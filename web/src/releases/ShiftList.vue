<script setup lang="ts">
import type { Schemas } from '../client'
import { number } from '../words'
import DispositionMark from '../ui/DispositionMark.vue'

defineProps<{ shifts: Schemas['Shift'][] }>()
</script>

<template>
  <ul class="text-sm">
    <li
      v-for="s in shifts"
      :key="s.was + s.becomes"
      class="grid grid-cols-[7.5rem_1.2rem_7.5rem_1fr] items-baseline gap-2 py-0.5"
    >
      <DispositionMark :of="s.was" />
      <span aria-label="becomes" class="text-soft">→</span>
      <DispositionMark :of="s.becomes" />
      <b class="text-right">{{ number(s.machines) }}</b>
    </li>
  </ul>
</template>
