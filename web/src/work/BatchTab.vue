<script setup lang="ts">
import type { Schemas } from '../client'
import BatchItem from './BatchItem.vue'

defineProps<{ work: Schemas['Work'] }>()
</script>

<template>
  <p v-if="!work.batches.length && !work.further.length" class="text-soft">No remote batches.</p>
  <p v-else class="mb-3 max-w-[75ch]">
    The same step on many machines, done remotely. A batch of more than five machines starts with a pilot of
    different models.
  </p>
  <section v-if="work.batches.length" aria-labelledby="batches">
    <h2 id="batches" class="mb-1 font-semibold">What the requirements ask for</h2>
    <ul>
      <BatchItem v-for="b in work.batches" :key="b.step" :b="b" />
    </ul>
  </section>
  <section v-if="work.further.length" class="mt-8" aria-labelledby="further">
    <h2 id="further" class="mb-1 font-semibold">Further work: no disposition depends on it</h2>
    <ul>
      <BatchItem v-for="b in work.further" :key="b.step" :b="b" />
    </ul>
  </section>
</template>
