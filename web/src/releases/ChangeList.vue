<script setup lang="ts">
import { computed } from 'vue'

import type { Schemas } from '../client'

const props = defineProps<{ changes: Schemas['Difference'][] }>()
const kinds = [
  { kind: 'tightened', title: 'Tightened', mark: '▲' },
  { kind: 'added', title: 'Added', mark: '+' },
  { kind: 'changed', title: 'Changed', mark: '≠' },
  { kind: 'eased', title: 'Eased', mark: '▽' },
  { kind: 'removed', title: 'Removed', mark: '−' },
]
const groups = computed(() =>
  kinds
    .map((k) => ({ ...k, rows: props.changes.filter((c) => c.kind === k.kind) }))
    .filter((k) => k.rows.length > 0),
)
</script>

<template>
  <p v-if="changes.length === 0" class="text-soft">No differences.</p>
  <section v-for="g in groups" :key="g.kind" class="mb-5">
    <h3 class="border-b border-line pb-1 font-semibold">
      <span aria-hidden="true" class="inline-block w-5 text-accent">{{ g.mark }}</span>{{ g.title }}
      <span class="font-normal text-soft">({{ g.rows.length }})</span>
    </h3>
    <ul>
      <li
        v-for="(c, i) in g.rows"
        :key="i"
        class="grid gap-x-4 border-b border-line/60 py-1.5 wrap-anywhere sm:grid-cols-[13rem_1fr]"
      >
        <b>{{ c.subject === g.rows[i - 1]?.subject ? '' : c.subject }}</b><span>{{ c.says }}</span>
      </li>
    </ul>
  </section>
</template>
