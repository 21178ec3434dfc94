<script setup lang="ts">
import type { Schemas } from '../client'
import { number } from '../words'

/** The machines that the rule of a wave picks and that may not enter. */
defineProps<{ wave: Schemas['WaveDetail'] }>()
</script>

<template>
  <section aria-labelledby="refused">
    <h2 id="refused" class="mb-2 border-b border-line pb-1.5 font-semibold">
      Match the rule but cannot enter
    </h2>
    <ul class="text-sm">
      <li v-for="r in wave.refusals" :key="r.reason" class="py-1">
        <details>
          <summary class="cursor-pointer">
            <b>{{ number(r.machines) }}</b>: {{ r.reason }}
          </summary>
          <RouterLink
            v-for="m in r.some"
            :key="m.key"
            :to="{ name: 'machine', params: { machine: m.key } }"
            class="link mr-2 text-soft"
            >{{ m.name }}</RouterLink><span v-if="r.machines > r.some.length" class="text-soft">…</span>
        </details>
      </li>
    </ul>
  </section>
</template>
