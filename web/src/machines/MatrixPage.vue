<script setup lang="ts">
import AppButton from '../ui/AppButton.vue'
import { useQuery } from '@pinia/colada'
import { computed } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import { queries } from '../queries'
import DispositionMark from '../ui/DispositionMark.vue'
import TroubleBox from '../ui/TroubleBox.vue'
import { number } from '../words'

const route = useRoute()
const router = useRouter()
const where = computed(() => String(route.query.where ?? ''))
const sort = computed(() => String(route.query.sort ?? 'name'))
const cursor = computed(() => String(route.query.cursor ?? ''))
const machines = computed<'pc' | 'mac'>(() => (route.query.class === 'mac' ? 'mac' : 'pc'))
const { data, error, refetch } = useQuery(() => ({
  ...queries.matrix({
    where: where.value,
    sort: sort.value,
    cursor: cursor.value || undefined,
    class: machines.value,
    size: 50,
  }),
  placeholderData: (previous) => previous,
}))
/** What every machine of the page meets takes no room. */
const columns = computed(() => {
  const g = data.value
  if (!g) return []
  return g.requirements
    .map((q, i) => ({ ...q, i }))
    .filter((q) => g.rows.some((r) => ['fail', 'unknown'].includes(r.cells[q.i]?.outcome ?? '')))
})
const met = computed(() => (data.value?.requirements.length ?? 0) - columns.value.length)
function go(query: Record<string, string | undefined>) {
  const all = { where: where.value, sort: sort.value, class: machines.value, ...query }
  const kept = Object.entries(all).filter(
    ([k, v]) => v && !(k === 'sort' && v === 'name') && !(k === 'class' && v === 'pc'),
  )
  router.push({ name: 'matrix', query: Object.fromEntries(kept) })
}
const order = (key: string) => go({ sort: sort.value === key ? '-' + key : key, cursor: undefined })
const direction = (key: string) =>
  sort.value === key ? 'ascending' : sort.value === '-' + key ? 'descending' : 'none'
const arrow = (key: string) => ({ ascending: '↑', descending: '↓', none: '' })[direction(key)]
</script>

<template>
  <div class="mb-3 flex flex-wrap items-baseline gap-x-4">
    <h1 class="text-[27px] leading-tight font-semibold tracking-tight">
      {{ data ? `${number(data.total)} machines, target ${data.release}` : 'Requirement matrix' }}
    </h1>
    <RouterLink
      :to="{ name: 'machines', query: where ? { where } : {} }"
      class="text-accent underline underline-offset-2"
      >As a list</RouterLink
    >
    <AppButton
      kind="link"
      @click="go({ class: machines === 'pc' ? 'mac' : 'pc', sort: 'name', cursor: undefined })"
    >
      {{ machines === 'pc' ? 'Macs' : 'PCs' }}
    </AppButton>
  </div>
  <p v-if="where" class="mb-3 text-sm text-soft">
    Filter: <code class="text-ink">{{ where }}</code>
  </p>
  <TroubleBox v-if="error" :error="error" @again="refetch()" />
  <p v-else-if="!data" role="status" class="text-soft">Loading machines…</p>
  <p v-else-if="data.rows.length === 0" class="card p-5">No machine matches.</p>
  <template v-else>
    <div class="overflow-x-auto" tabindex="0" role="region" aria-label="The table">
      <table class="w-full border-collapse text-left text-sm">
        <thead>
          <tr class="border-b border-line align-bottom text-soft">
            <th
              scope="col"
              class="sticky left-0 bg-paper py-1.5 pr-4 font-normal"
              :aria-sort="direction('name')"
            >
              <button type="button" class="cursor-pointer py-1 hover:text-ink" @click="order('name')">
                Machine <span aria-hidden="true">{{ arrow('name') }}</span>
              </button>
            </th>
            <th scope="col" class="py-1.5 pr-4 font-normal" :aria-sort="direction('disposition')">
              <button type="button" class="cursor-pointer py-1 hover:text-ink" @click="order('disposition')">
                What it takes <span aria-hidden="true">{{ arrow('disposition') }}</span>
              </button>
            </th>
            <th
              v-for="q in columns"
              :key="q.requirement"
              scope="col"
              class="max-w-36 py-1.5 pr-4 font-normal"
              :aria-sort="direction('needs.' + q.requirement)"
            >
              <button
                type="button"
                class="cursor-pointer py-1 text-left hover:text-ink"
                :title="q.needs"
                @click="order('needs.' + q.requirement)"
              >
                {{ q.title }} <span aria-hidden="true">{{ arrow('needs.' + q.requirement) }}</span>
              </button>
              <RouterLink
                v-if="q.fails"
                :to="{ name: 'machines', query: { where: q.where_fails } }"
                class="block py-1 text-xs text-ink underline-offset-2 hover:underline"
                >{{ number(q.fails) }} {{ q.level === 'must' ? 'fail' : 'below recommendation' }}</RouterLink
              >
              <span v-else class="block py-1 text-xs">no failures</span>
            </th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="r in data.rows" :key="r.key" class="border-b border-line/60 align-baseline">
            <th scope="row" class="sticky left-0 bg-paper py-1.5 pr-4 font-semibold whitespace-nowrap">
              <RouterLink
                :to="{ name: 'machine', params: { machine: r.key } }"
                class="underline-offset-2 hover:underline"
                >{{ r.name }}</RouterLink
              >
            </th>
            <td class="py-1.5 pr-4"><DispositionMark :of="r.disposition" /></td>
            <td
              v-for="q in columns"
              :key="q.requirement"
              class="max-w-40 py-1.5 pr-4"
              :data-outcome="r.cells[q.i]?.outcome"
            >
              <template v-if="r.cells[q.i]?.outcome === 'fail'">
                <b>{{ r.cells[q.i]?.has }}</b>
                <span v-if="r.cells[q.i]?.short" class="block text-xs text-replace">{{
                  r.cells[q.i]?.short
                }}</span>
                <span
                  v-else
                  class="block text-xs"
                  :class="q.level === 'must' ? 'text-replace' : 'text-soft'"
                  >{{ q.level === 'must' ? 'not met' : 'below recommendation' }}</span
                >
              </template>
              <span v-else-if="r.cells[q.i]?.outcome === 'unknown'" class="text-undetermined">unknown</span>
              <span v-else class="block max-w-28 truncate text-soft" :title="r.cells[q.i]?.has">{{
                r.cells[q.i]?.has
              }}</span>
            </td>
          </tr>
        </tbody>
      </table>
    </div>
    <p class="mt-3 text-sm text-soft">
      <template v-if="met > 0"
        >All of these machines meet {{ met }} more requirements, or they do not apply. </template
      >{{ data.from + 1 }}–{{ number(data.from + data.rows.length) }} of {{ number(data.total) }}
    </p>
    <nav v-if="cursor || data.next" aria-label="Pages" class="mt-2 flex gap-3">
      <AppButton v-if="cursor" small @click="go({ cursor: undefined })"> First page </AppButton>
      <AppButton v-if="data.next" small @click="go({ cursor: data.next })"> Next </AppButton>
    </nav>
  </template>
</template>
