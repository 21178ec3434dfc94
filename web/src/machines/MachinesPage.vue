<script setup lang="ts">
import AppButton from '../ui/AppButton.vue'
import { useQuery } from '@pinia/colada'
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import { queries } from '../queries'
import { valuesOf, withValues, withWords } from '../filter'
import ListFilter from '../ui/ListFilter.vue'
import { offered } from './columns'
import MachineTable from './MachineTable.vue'
import FilterText from './FilterText.vue'
import BulkBar from './BulkBar.vue'
import DispositionMark from '../ui/DispositionMark.vue'
import DuplicateList from './DuplicateList.vue'
import SavedFilters from './SavedFilters.vue'
import TroubleBox from '../ui/TroubleBox.vue'
import { useAction } from '../use/useAction'
import { usePermissions } from '../use/usePermissions'
import { useSession } from '../use/useSession'
import { number, dispositions } from '../words'

const size = 50
const route = useRoute()
const router = useRouter()
// The address is the state: a list can be sent and come back to.
const where = computed(() => String(route.query.where ?? ''))
const sort = computed(() => String(route.query.sort ?? 'name'))
const page = computed(() => Math.max(1, Number(route.query.page ?? 1) || 1))
const cursor = computed(() => String(route.query.cursor ?? ''))
const facts = computed(() =>
  String(route.query.columns ?? '')
    .split(',')
    .filter(Boolean),
)
const { data: who } = useSession()
const { works: may } = usePermissions()

const { data, error, refetch } = useQuery(() => ({
  ...queries.machines({
    where: where.value,
    sort: sort.value,
    page: page.value,
    cursor: cursor.value || undefined,
    size,
    facts: facts.value.length ? facts.value : undefined,
  }),
  placeholderData: (previous) => previous,
}))
const fleet = useQuery({ ...queries.fleet(), staleTime: 10_000 })
const sites = computed(() =>
  (fleet.data.value?.sites ?? [])
    .map((p) => ({ value: p.site, label: p.site }))
    .sort((a, b) => (a.value < b.value ? -1 : 1)),
)

const allTags = useQuery(queries.tags())
const tags = computed(() =>
  (allTags.data.value?.tags ?? []).map((t) => ({ value: t.name, label: t.name, count: t.count })),
)
const duplicates = useQuery(() => ({
  ...queries.duplicates(),
  enabled: where.value.includes('duplicate=yes'),
}))
const chosenKeys = ref<string[]>([])
watch([where, sort, page, cursor], () => (chosenKeys.value = []))

function change(next: { where?: string; sort?: string; page?: number; cursor?: string; columns?: string[] }) {
  const query: Record<string, string> = {}
  const w = next.where ?? where.value
  const s = next.sort ?? sort.value
  if (w) query.where = w
  if (s !== 'name') query.sort = s
  if (next.page && next.page > 1) query.page = String(next.page)
  // Forward is from mark to mark, so that nothing is skipped where machines come and go.
  if (next.cursor) query.cursor = next.cursor
  const columns = next.columns ?? facts.value
  if (columns.length) query.columns = columns.join(',')
  router.push({ name: 'machines', query })
}

const filter = computed(() => data.value?.filter)
const { trouble, run } = useAction()
const withFilter = (next: Promise<string>) => run(async () => change({ where: await next }))
const chosen = computed(() => valuesOf(filter.value, 'disposition'))
function toggle(d: string) {
  const rest = chosen.value.filter((x) => x !== d)
  const next = chosen.value.includes(d) ? rest : [...rest, d]
  withFilter(withValues(where.value, 'disposition', next))
}
const site = computed({
  get: () => valuesOf(filter.value, 'site'),
  set: (values: string[]) => withFilter(withValues(where.value, 'site', values)),
})
const placeSays = computed(() =>
  site.value.length > 1 ? `${site.value.length} sites` : (site.value[0] ?? 'All sites'),
)
const tagged = computed({
  get: () => valuesOf(filter.value, 'tag'),
  set: (values: string[]) => withFilter(withValues(where.value, 'tag', values)),
})
const choices = computed(() =>
  Object.entries(offered)
    .filter(([fact]) => who.value?.plain || fact !== 'device.serial')
    .map(([value, label]) => ({ value, label })),
)
const columnsChosen = computed({
  get: () => facts.value,
  set: (values: string[]) => change({ columns: values, page: page.value, cursor: cursor.value }),
})

const search = ref('')
watch(filter, (f) => f && (search.value = f.words), { immediate: true })

function order(key: string) {
  change({ sort: sort.value === key ? '-' + key : key })
}
const pages = computed(() => Math.max(1, Math.ceil((data.value?.total ?? 0) / size)))
const at = computed(() => Math.floor((data.value?.from ?? 0) / size) + 1)
const title = computed(() => {
  const n = data.value?.total
  if (n === undefined) return 'Machines'
  const what = n === 1 ? 'machine' : 'machines'
  const all = fleet.data.value?.total
  return where.value
    ? `${number(n)} ${what} of ${all === undefined ? '…' : number(all)}`
    : `${number(n)} ${what}`
})
</script>

<template>
  <div class="mb-1 flex flex-wrap items-baseline gap-x-4">
    <h1 class="text-[27px] leading-tight font-semibold tracking-tight">{{ title }}</h1>
    <RouterLink v-if="where" :to="{ name: 'machines' }" class="text-accent underline underline-offset-2"
      >Show all</RouterLink
    >
    <RouterLink
      :to="{ name: 'matrix', query: where ? { where } : {} }"
      class="no-print ml-auto text-sm text-soft underline underline-offset-2 hover:text-ink"
      >Requirement matrix</RouterLink
    >
    <a
      v-if="data?.total"
      :href="`/api/v1/export?where=${encodeURIComponent(where)}&facts=${encodeURIComponent(facts.join(','))}`"
      class="no-print text-sm text-soft underline underline-offset-2 hover:text-ink"
      >Export as CSV</a
    >
  </div>
  <p v-if="data?.loading" class="mb-2 text-sm text-soft" role="status">
    The service has just started and does not apply decisions yet. This page reloads by itself.
  </p>

  <p v-if="trouble" role="alert" class="mb-2 text-replace">{{ trouble }}</p>
  <form class="my-3 flex flex-wrap items-center gap-2" @submit.prevent="withFilter(withWords(where, search))">
    <label class="sr-only" for="words">Search</label>
    <input
      id="words"
      v-model="search"
      type="search"
      placeholder="Name, model, site, serial"
      class="w-60 rounded-lg border border-line bg-card px-3 py-1.5 placeholder:text-soft"
    />
    <fieldset class="flex flex-wrap gap-1.5">
      <legend class="sr-only">Disposition</legend>
      <button
        v-for="d in dispositions"
        :key="d"
        type="button"
        :aria-pressed="chosen.includes(d)"
        class="cursor-pointer rounded-full border px-3 py-1 text-sm"
        :class="chosen.includes(d) ? 'border-ink bg-shade' : 'border-line bg-card'"
        @click="toggle(d)"
      >
        <DispositionMark :of="d" />
      </button>
    </fieldset>
    <ListFilter v-if="sites.length" v-model="site" :says="placeSays" :choices="sites" />
    <ListFilter v-if="tags.length" v-model="tagged" :says="tagged.join(', ') || 'Tags'" :choices="tags" />
    <ListFilter
      v-model="columnsChosen"
      :says="facts.length ? `Columns (${facts.length})` : 'Columns'"
      :choices="choices"
      right
    />
    <button type="submit" class="sr-only">Search</button>
  </form>
  <SavedFilters :where="where" :sort="sort" :facts="facts" :may="may" />
  <section
    v-if="duplicates.data.value?.duplicates.length && where.includes('duplicate=yes')"
    aria-label="Possible duplicates"
    class="card mb-4 px-4 py-2"
  >
    <DuplicateList
      :duplicates="duplicates.data.value.duplicates"
      :may="may"
      @settled="duplicates.refetch()"
    />
  </section>
  <FilterText :where="where" @apply="(w) => change({ where: w })" />

  <TroubleBox v-if="error" :error="error" @again="refetch()" />
  <p v-else-if="!data" role="status" class="text-soft">Loading machines…</p>
  <p v-else-if="data.total === 0" class="card p-5">
    No machine matches.
    <RouterLink v-if="where" :to="{ name: 'machines' }" class="text-accent underline underline-offset-2"
      >Show all machines</RouterLink
    >
    <span v-else>Submit the first inventory with <code>rolltop submit</code>.</span>
  </p>
  <template v-else>
    <MachineTable
      v-model:chosen="chosenKeys"
      :machines="data.machines"
      :facts="facts"
      :sort="sort"
      :may="may"
      @order="order"
    />
    <BulkBar v-if="may" class="mt-3" :where="where" :keys="chosenKeys" :total="data.total" />
    <nav v-if="pages > 1" aria-label="Pages" class="mt-4 flex items-center gap-3">
      <AppButton small :disabled="at <= 1" @click="change({ page: at - 1 })"> Back </AppButton>
      <span class="text-soft">Page {{ at }} of {{ pages }}</span>
      <AppButton small :disabled="!data.next" @click="change({ cursor: data.next })"> Next </AppButton>
    </nav>
  </template>
</template>
