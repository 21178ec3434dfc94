<script setup lang="ts">
import { Listbox, ListboxButton, ListboxOption, ListboxOptions } from '@headlessui/vue'
import { useQuery } from '@pinia/colada'
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import { api, ask } from '../client'
import { valuesOf, withValues, withWords, wordsOf } from '../filter'
import DispositionMark from '../parts/DispositionMark.vue'
import TroubleBox from '../parts/TroubleBox.vue'
import { ago, capital, dispositions, sayMoment } from '../words'

const size = 50
const route = useRoute()
const router = useRouter()
// The address is the state: a list can be sent and come back to.
const where = computed(() => String(route.query.where ?? ''))
const sort = computed(() => String(route.query.sort ?? 'name'))
const page = computed(() => Math.max(1, Number(route.query.page ?? 1) || 1))

const { data, error, refetch } = useQuery({
  key: () => ['devices', where.value, sort.value, page.value],
  query: () =>
    ask(
      api.GET('/devices', {
        params: { query: { where: where.value, sort: sort.value, page: page.value, size } },
      }),
    ),
  placeholderData: (previous) => previous,
})
const fleet = useQuery({ key: ['fleet'], query: () => ask(api.GET('/fleet')), staleTime: 10_000 })
const places = computed(() => (fleet.data.value?.places ?? []).map((p) => p.place).sort())

function change(next: { where?: string; sort?: string; page?: number }) {
  const query: Record<string, string> = {}
  const w = next.where ?? where.value
  const s = next.sort ?? sort.value
  if (w) query.where = w
  if (s !== 'name') query.sort = s
  if (next.page && next.page > 1) query.page = String(next.page)
  router.push({ name: 'devices', query })
}

const chosen = computed(() => valuesOf(where.value, 'disposition'))
function toggle(d: string) {
  const rest = chosen.value.filter((x) => x !== d)
  change({ where: withValues(where.value, 'disposition', chosen.value.includes(d) ? rest : [...rest, d]) })
}
const place = computed({
  get: () => valuesOf(where.value, 'place'),
  set: (values: string[]) => change({ where: withValues(where.value, 'place', values) }),
})

const search = ref('')
watch(where, (w) => (search.value = wordsOf(w)), { immediate: true })
const expert = ref('')
watch(where, (w) => (expert.value = w), { immediate: true })

const columns = [
  { key: 'name', label: 'Machine' },
  { key: 'disposition', label: 'What it takes' },
  { key: 'place', label: 'Place' },
  { key: 'model', label: 'Model' },
  { key: 'installed', label: 'Runs' },
  { key: 'taken', label: 'Inventory' },
]
function order(key: string) {
  change({ sort: sort.value === key ? '-' + key : key })
}
const direction = (key: string) =>
  sort.value === key ? 'ascending' : sort.value === '-' + key ? 'descending' : 'none'
const pages = computed(() => Math.max(1, Math.ceil((data.value?.total ?? 0) / size)))
const title = computed(() => {
  const n = data.value?.total
  if (n === undefined) return 'Devices'
  const what = n === 1 ? 'machine' : 'machines'
  return where.value ? `${n} ${what} of ${fleet.data.value?.total ?? '…'}` : `${n} ${what}`
})
</script>

<template>
  <div class="mb-1 flex flex-wrap items-baseline gap-x-4">
    <h1 class="text-[27px] leading-tight font-semibold tracking-tight">{{ title }}</h1>
    <RouterLink v-if="where" :to="{ name: 'devices' }" class="text-accent underline underline-offset-2"
      >Show all</RouterLink
    >
    <a
      v-if="data?.total"
      :href="`/api/export?where=${encodeURIComponent(where)}`"
      class="no-print ml-auto text-sm text-soft underline underline-offset-2 hover:text-ink"
      >Export as CSV</a
    >
  </div>

  <form
    class="my-3 flex flex-wrap items-center gap-2"
    @submit.prevent="change({ where: withWords(where, search) })"
  >
    <label class="sr-only" for="words">Search</label>
    <input
      id="words"
      v-model="search"
      type="search"
      placeholder="Search name, model, place"
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
    <Listbox v-if="places.length" v-model="place" multiple as="div" class="relative">
      <ListboxButton class="cursor-pointer rounded-lg border border-line bg-card px-3 py-1.5">
        {{ place.length === 0 ? 'All places' : place.length === 1 ? place[0] : `${place.length} places` }} ▾
      </ListboxButton>
      <ListboxOptions
        class="absolute z-10 mt-1 max-h-80 w-56 overflow-auto rounded-lg border border-line bg-card py-1 shadow-lg"
      >
        <ListboxOption v-for="p in places" :key="p" v-slot="{ active, selected }" :value="p" as="template">
          <li class="flex cursor-pointer gap-2 px-3 py-1.5" :class="active ? 'bg-shade' : ''">
            <span class="w-4 text-accent" aria-hidden="true">{{ selected ? '●' : '' }}</span>{{ p }}
          </li>
        </ListboxOption>
      </ListboxOptions>
    </Listbox>
    <button type="submit" class="sr-only">Search</button>
  </form>
  <details class="mb-3 text-sm text-soft" :open="false">
    <summary class="cursor-pointer">
      Filter as text<template v-if="where"
        >: <code class="text-ink">{{ where }}</code></template
      >
    </summary>
    <form class="mt-2 flex gap-2" @submit.prevent="change({ where: expert })">
      <label class="sr-only" for="expert">Filter</label>
      <input
        id="expert"
        v-model="expert"
        class="w-full max-w-xl rounded-lg border border-line bg-card px-3 py-1.5 font-mono text-ink"
      />
      <button type="submit" class="cursor-pointer rounded-lg border border-line px-3 font-semibold text-ink">
        Apply
      </button>
    </form>
    <p class="mt-1">
      Terms parted by blanks, key=value[,value]: disposition, place, class, fails, alone, unknown, installed,
      model, maker, certainty; or a fact: <code>memory.installed_bytes&lt;=4GiB</code>,
      <code>tpm.state=not-seen</code>, <code>missing=tpm.header</code>. The same text works with
      <code>rolltop devices --where</code>.
    </p>
  </details>

  <TroubleBox v-if="error" :error="error" @again="refetch()" />
  <p v-else-if="!data" role="status" class="text-soft">Reading the list…</p>
  <p v-else-if="data.total === 0" class="rounded-lg border border-line bg-card p-5">
    No machine matches.
    <RouterLink v-if="where" :to="{ name: 'devices' }" class="text-accent underline underline-offset-2"
      >Show all machines</RouterLink
    >
    <span v-else>Send the first inventory with <code>rolltop submit</code>.</span>
  </p>
  <template v-else>
    <div class="overflow-x-auto">
      <table class="w-full border-collapse text-left">
        <thead>
          <tr class="border-b border-line text-sm text-soft">
            <th
              v-for="c in columns"
              :key="c.key"
              scope="col"
              class="py-1.5 pr-4 font-normal"
              :aria-sort="direction(c.key)"
            >
              <button
                type="button"
                class="cursor-pointer whitespace-nowrap hover:text-ink"
                :class="direction(c.key) !== 'none' ? 'font-semibold text-ink' : ''"
                @click="order(c.key)"
              >
                {{ c.label }}
                <span aria-hidden="true">{{
                  { ascending: '↑', descending: '↓', none: '' }[direction(c.key)]
                }}</span>
              </button>
            </th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="d in data.devices" :key="d.key" class="border-b border-line/60 align-baseline">
            <td class="py-1.5 pr-4 font-semibold whitespace-nowrap">
              <RouterLink
                :to="{ name: 'device', params: { machine: d.key } }"
                class="underline-offset-2 hover:underline"
                >{{ d.name }}</RouterLink
              >
            </td>
            <td class="min-w-64 py-1.5 pr-4">
              <template v-if="d.disposition"
                ><DispositionMark :of="d.disposition" /><span class="text-soft">{{
                  d.certainty === 'expected' && d.disposition !== 'undetermined' ? ', expected' : ''
                }}</span></template
              >
              <span v-else class="text-soft">Not checked</span>
              <span v-if="d.disposition && d.disposition !== 'ready'" class="block text-sm text-soft">{{
                capital(d.answer ?? '')
              }}</span>
            </td>
            <td class="py-1.5 pr-4 whitespace-nowrap">{{ d.place }}</td>
            <td class="py-1.5 pr-4 whitespace-nowrap">{{ d.manufacturer }} {{ d.model }}</td>
            <td class="py-1.5 pr-4 whitespace-nowrap">{{ d.installed }}</td>
            <td class="py-1.5 whitespace-nowrap text-soft" :title="sayMoment(d.taken_at)">
              {{ ago(d.taken_at) }}
            </td>
          </tr>
        </tbody>
      </table>
    </div>
    <nav v-if="pages > 1" aria-label="Pages" class="mt-4 flex items-center gap-3">
      <button
        type="button"
        class="cursor-pointer rounded-md border border-line px-3 py-1 disabled:opacity-40"
        :disabled="page <= 1"
        @click="change({ page: page - 1 })"
      >
        Back
      </button>
      <span class="text-soft">Page {{ page }} of {{ pages }}</span>
      <button
        type="button"
        class="cursor-pointer rounded-md border border-line px-3 py-1 disabled:opacity-40"
        :disabled="page >= pages"
        @click="change({ page: page + 1 })"
      >
        Next
      </button>
    </nav>
  </template>
</template>
