<script setup lang="ts">
import { computed } from 'vue'

import type { Schemas } from '../client'
import DuplicateList from './DuplicateList.vue'
import VisitLink from './VisitLink.vue'

/** Possible duplicates, the papers that are made of it, and where it stands in the work. */
const props = defineProps<{ machine: Schemas['Machine']; may: boolean }>()
const emit = defineEmits<{ changed: [] }>()
const visited = computed(() => props.machine.check?.plan.some((s) => s.phase === 'desk') ?? false)
const reports = [
  { name: 'Report', query: '' },
  { name: 'Page for the user', query: '?for=user' },
  { name: 'Ticket text', query: '?format=markdown' },
]
const reportAddress = (query: string) =>
  `/api/v1/machines/${encodeURIComponent(props.machine.key)}/report${query}`
const caseAddress = computed(() => `/api/v1/machines/${encodeURIComponent(props.machine.key)}/case`)
const about = computed(() => {
  const d = props.machine
  return [d.name, `${d.manufacturer} ${d.model}`.trim(), d.site, d.installed].filter(Boolean).join(' · ')
})
</script>

<template>
  <p class="flex flex-wrap gap-x-4 text-soft">
    {{ about }}
    <span class="no-print ml-auto flex flex-wrap items-baseline gap-x-4 text-sm">
      <template v-if="machine.check">
        <a v-for="r in reports" :key="r.query" :href="reportAddress(r.query)" target="_blank" class="link">{{
          r.name
        }}</a>
        <a :href="caseAddress" class="link">Case bundle</a>
        <template v-if="visited">
          <a :href="reportAddress('?for=visit')" target="_blank" class="link">Visit sheet</a>
          <VisitLink v-if="may" :machine="machine.key" :name="machine.name" />
        </template>
      </template>
      <RouterLink :to="{ name: 'compare', query: { a: machine.key } }" class="link"
        >Compare with another machine</RouterLink
      >
    </span>
  </p>
  <section
    v-if="machine.duplicates?.length"
    aria-label="Possible duplicates"
    class="card no-print my-3 px-4 py-2"
  >
    <DuplicateList :duplicates="machine.duplicates" :may="may" @settled="emit('changed')" />
  </section>
  <p v-if="machine.tags?.length || machine.retired || machine.stale" class="text-sm text-soft">
    <RouterLink
      v-for="t in machine.tags"
      :key="t"
      :to="{ name: 'machines', query: { where: `tag=${t}` } }"
      class="mr-1.5 rounded border border-line px-1 hover:text-ink"
      >{{ t }}</RouterLink
    >
    <span v-if="machine.stale">Overdue: no inventory for longer than the settings allow.</span>
  </p>
</template>
