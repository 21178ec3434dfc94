<script setup lang="ts">
import AppButton from '../ui/AppButton.vue'
import { useQuery } from '@pinia/colada'
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import { queries } from '../queries'
import TroubleBox from '../ui/TroubleBox.vue'
import { usePermissions } from '../use/usePermissions'
import ApplicationTab from './ApplicationTab.vue'
import BatchTab from './BatchTab.vue'
import DecisionTab from './DecisionTab.vue'
import WinsTab from './WinsTab.vue'
import PartTab from './PartTab.vue'
import QuestionTab from './QuestionTab.vue'
import VisitTab from './VisitTab.vue'
import WatchTab from './WatchTab.vue'
import WaveTab from './WaveTab.vue'
import { capital, count, number } from '../words'

const route = useRoute()
const router = useRouter()
const where = computed(() => String(route.query.where ?? ''))
const {
  data: work,
  error,
  refetch,
} = useQuery(() => ({ ...queries.work(where.value || undefined), staleTime: 5_000 }))
const { works: may, manages } = usePermissions()
const tabs = computed(() => [
  { id: 'first', title: 'Biggest wins' },
  { id: 'visits', title: 'Visits', count: work.value?.visits },
  { id: 'remote', title: 'Remote batches', count: work.value?.batches.length },
  { id: 'applications', title: 'Applications' },
  { id: 'parts', title: 'Parts', count: work.value?.order.length },
  { id: 'questions', title: 'Open questions', count: work.value?.questions.length },
  { id: 'watch', title: 'Watch list', count: work.value?.watch.length },
  { id: 'decisions', title: 'Decisions' },
  { id: 'waves', title: 'Waves' },
])
const tab = computed(() => tabs.value.find((t) => t.id === route.query.tab)?.id ?? 'first')
/** Decisions and waves are about all machines. */
const filtered = computed(() => !['decisions', 'waves'].includes(tab.value))
const waves = useQuery(() => ({ ...queries.waves(), enabled: tab.value === 'waves' }))
const installed = useQuery(() => ({
  ...queries.applications(where.value || undefined),
  enabled: tab.value === 'applications',
}))
const decided = useQuery(() => ({ ...queries.decisions(false), enabled: tab.value === 'decisions' }))
/** The answer of the tab that is open. */
const says = computed(() => {
  if (tab.value === 'waves')
    return waves.data.value
      ? (waves.data.value.forecasts[0]?.says ?? 'No target is set, so there is no forecast.')
      : 'Waves'
  if (tab.value === 'applications') return installed.data.value?.says ?? 'Applications'
  if (tab.value === 'decisions') {
    const n = decided.data.value?.decisions.filter((d) => d.counts).length ?? 0
    if (!decided.data.value) return 'Decisions'
    return n === 0 ? 'No decisions.' : `${capital(count(n, 'decision is', 'decisions are'))} in force.`
  }
  return work.value?.says ?? ''
})
const only = ref('')
watch(where, (w) => (only.value = w), { immediate: true })
const narrow = () =>
  router.push({ name: 'work', query: { ...route.query, where: only.value.trim() || undefined } })
const to = (id: string) => ({
  name: 'work',
  query: { tab: id === 'first' ? undefined : id, where: where.value || undefined },
})
/** The list of the tab that is open, as a table to keep. */
const lists: Record<string, string> = {
  first: 'wins',
  visits: 'visits',
  remote: 'batches',
  applications: 'applications',
  parts: 'parts',
  questions: 'questions',
  watch: 'watch',
  decisions: 'decisions',
  waves: 'waves',
}
const file = computed(() => {
  const q = new URLSearchParams({ list: lists[tab.value]! })
  if (filtered.value && where.value) q.set('where', where.value)
  return `/api/v1/work/export?${q}`
})
</script>

<template>
  <TroubleBox v-if="error && !work" :error="error" @again="refetch()" />
  <p v-else-if="!work" role="status" class="text-soft">Loading work…</p>
  <template v-if="work">
    <h1 class="mb-1 text-[27px] leading-tight font-semibold tracking-tight">{{ says }}</h1>
    <form class="no-print mb-4 flex flex-wrap items-center gap-x-3 gap-y-1 text-sm" @submit.prevent="narrow">
      <template v-if="filtered">
        <label for="only" class="text-soft">Filter</label>
        <input
          id="only"
          v-model="only"
          type="search"
          placeholder='site="Gull Quay" assigned=east'
          class="w-72 rounded-md border border-line bg-card px-2.5 py-1"
        />
        <AppButton small type="submit">Apply filter</AppButton>
      </template>
      <a :href="file" class="ml-auto text-soft underline underline-offset-2 hover:text-ink">Export as CSV</a>
    </form>
    <nav aria-label="Kinds of work" class="mb-5 flex flex-wrap gap-x-5 border-b border-line">
      <RouterLink
        v-for="t in tabs"
        :key="t.id"
        :to="to(t.id)"
        :aria-current="t.id === tab ? 'page' : undefined"
        class="-mb-px border-b-2 pb-1.5"
        :class="t.id === tab ? 'border-accent font-semibold' : 'border-transparent text-soft hover:text-ink'"
        >{{ t.title
        }}<span v-if="t.count" class="ml-1 font-normal text-soft">{{ number(t.count) }}</span></RouterLink
      >
    </nav>
    <WinsTab v-if="tab === 'first'" :where="where" />
    <VisitTab v-else-if="tab === 'visits'" :work="work" :may="may" @changed="refetch()" />
    <BatchTab v-else-if="tab === 'remote'" :work="work" />
    <ApplicationTab v-else-if="tab === 'applications'" :where="where" />
    <PartTab v-else-if="tab === 'parts'" :work="work" :may="may" @changed="refetch()" />
    <QuestionTab
      v-else-if="tab === 'questions'"
      :work="work"
      :may="may"
      :manages="manages"
      @changed="refetch()"
    />
    <WatchTab v-else-if="tab === 'watch'" :work="work" />
    <DecisionTab v-else-if="tab === 'decisions'" :may="may" :manages="manages" @changed="refetch()" />
    <WaveTab v-else :manages="manages" />
  </template>
</template>
