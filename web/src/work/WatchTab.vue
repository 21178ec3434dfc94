<script setup lang="ts">
import { computed } from 'vue'

import type { Schemas } from '../client'

const props = defineProps<{ work: Schemas['Work'] }>()
const kinds: { kind: Schemas['WatchItem']['kind']; title: string }[] = [
  { kind: 'failed', title: 'Failed in a wave' },
  { kind: 'paused', title: 'Encryption is paused' },
  { kind: 'key-not-checked', title: 'Recovery key not confirmed' },
  { kind: 'no-effect', title: 'Marked as done, without effect' },
  { kind: 'decision-ended', title: 'Decisions that ended' },
  { kind: 'decision-ends', title: 'Decisions that end soon' },
]
const groups = computed(() =>
  kinds
    .map((k) => ({ ...k, rows: props.work.watch.filter((w) => w.kind === k.kind) }))
    .filter((k) => k.rows.length > 0),
)
</script>

<template>
  <p v-if="groups.length === 0" class="text-soft">
    Nothing to watch: no paused encryption, no step without effect, no decision about to end.
  </p>
  <section v-for="g in groups" :key="g.kind" :aria-labelledby="g.kind" class="mb-6">
    <h2 :id="g.kind" class="border-b border-line pb-1.5 font-semibold">
      {{ g.title }}<span class="ml-1.5 font-normal text-soft">{{ g.rows.length }}</span>
    </h2>
    <ul>
      <li v-for="w in g.rows" :key="w.says" class="border-b border-line/60 py-1.5">
        {{ w.says }}
        <RouterLink
          v-if="w.machine?.key"
          :to="{ name: 'machine', params: { machine: w.machine.key } }"
          class="ml-1 text-sm text-accent underline underline-offset-2"
          >{{ w.machine.name }}</RouterLink
        >
        <RouterLink
          v-else-if="w.where"
          :to="{ name: 'machines', query: { where: w.where } }"
          class="ml-1 text-sm text-accent underline underline-offset-2"
          >Its machines</RouterLink
        >
      </li>
    </ul>
  </section>
</template>
