<script setup lang="ts">
import AppButton from '../ui/AppButton.vue'
import { Listbox, ListboxButton, ListboxOption, ListboxOptions } from '@headlessui/vue'
import { useQuery } from '@pinia/colada'
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import { api, ask } from '../client'
import { valuesOf, withValues, withWords, wordsOf } from '../filter'
import BulkBar from '../parts/BulkBar.vue'
import DispositionMark from '../parts/DispositionMark.vue'
import DoubtList from '../parts/DoubtList.vue'
import SavedFilters from '../parts/SavedFilters.vue'
import TroubleBox from '../parts/TroubleBox.vue'
import { useSession } from '../session'
import { ago, capital, number, dispositions, sayMoment } from '../words'

const size = 50
const route = useRoute()
const router = useRouter()
// The address is the state: a list can be sent and come back to.
const where = computed(() => String(route.query.where ?? ''))
const sort = computed(() => String(route.query.sort ?? 'name'))
const page = computed(() => Math.max(1, Number(route.query.page ?? 1) || 1))
const after = computed(() => String(route.query.after ?? ''))
const facts = computed(() =>
  String(route.query.columns ?? '')
    .split(',')
    .filter(Boolean),
)
const { data: who } = useSession()
const may = computed(() => ['work', 'manage'].includes(who.value?.scope ?? ''))

const { data, error, refetch } = useQuery({
  key: () => ['devices', where.value, sort.value, page.value, after.value, facts.value.join()],
  query: () =>
    ask(
      api.GET('/devices', {
        params: {
          query: {
            where: where.value,
            sort: sort.value,
            page: page.value,
            after: after.value || undefined,
            size,
            facts: facts.value.length ? facts.value : undefined,
          },
        },
      }),
    ),
  placeholderData: (previous) => previous,
})
const fleet = useQuery({ key: ['fleet'], query: () => ask(api.GET('/fleet')), staleTime: 10_000 })
const places = computed(() => (fleet.data.value?.places ?? []).map((p) => p.place).sort())

const tags = useQuery({ key: ['tags'], query: () => ask(api.GET('/tags')) })
const doubts = useQuery({
  key: ['doubts'],
  query: () => ask(api.GET('/doubts')),
  enabled: () => where.value.includes('doubt=yes'),
})
const chosenKeys = ref<string[]>([])
watch([where, sort, page, after], () => (chosenKeys.value = []))

function change(next: { where?: string; sort?: string; page?: number; after?: string; columns?: string[] }) {
  const query: Record<string, string> = {}
  const w = next.where ?? where.value
  const s = next.sort ?? sort.value
  if (w) query.where = w
  if (s !== 'name') query.sort = s
  if (next.page && next.page > 1) query.page = String(next.page)
  // Forward is from mark to mark, so that nothing is skipped where machines come and go.
  if (next.after) query.after = next.after
  const columns = next.columns ?? facts.value
  if (columns.length) query.columns = columns.join(',')
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

const tagged = computed({
  get: () => valuesOf(where.value, 'tag'),
  set: (values: string[]) => change({ where: withValues(where.value, 'tag', values) }),
})
/** Facts that make useful columns; any other can stand in the address. */
const offered: Record<string, string> = {
  'processor.name': 'Processor',
  'memory.installed_bytes': 'Memory',
  'storage.system.disk_bytes': 'System disk',
  'storage.system.free_bytes': 'Free space',
  'tpm.state': 'TPM',
  'tpm.version': 'TPM version',
  'firmware.boot_mode': 'Boot mode',
  'firmware.secure_boot': 'Secure boot',
  'firmware.version': 'Firmware',
  'os.edition': 'Edition',
  'os.build': 'Build',
  'os.held_at': 'Held at',
  'device.serial': 'Serial number',
  'device.asset_tag': 'Asset tag',
}
const choices = computed(() => Object.keys(offered).filter((f) => who.value?.plain || f !== 'device.serial'))
const columnsChosen = computed({
  get: () => facts.value,
  set: (values: string[]) => change({ columns: values, page: page.value, after: after.value }),
})
const heading = (fact: string) => offered[fact] ?? fact

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
const at = computed(() => Math.floor((data.value?.from ?? 0) / size) + 1)
const title = computed(() => {
  const n = data.value?.total
  if (n === undefined) return 'Devices'
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
    <RouterLink v-if="where" :to="{ name: 'devices' }" class="text-accent underline underline-offset-2"
      >Show all</RouterLink
    >
    <RouterLink
      :to="{ name: 'grid', query: where ? { where } : {} }"
      class="no-print ml-auto text-sm text-soft underline underline-offset-2 hover:text-ink"
      >Beside requirements</RouterLink
    >
    <a
      v-if="data?.total"
      :href="`/api/export?where=${encodeURIComponent(where)}&facts=${encodeURIComponent(facts.join(','))}`"
      class="no-print text-sm text-soft underline underline-offset-2 hover:text-ink"
      >Export as CSV</a
    >
  </div>
  <p v-if="data?.loading" class="mb-2 text-sm text-soft" role="status">
    The service has just started. Decisions are not laid over these yet; this page asks again by itself.
  </p>

  <form
    class="my-3 flex flex-wrap items-center gap-2"
    @submit.prevent="change({ where: withWords(where, search) })"
  >
    <label class="sr-only" for="words">Search</label>
    <input
      id="words"
      v-model="search"
      type="search"
      placeholder="Name, model, place, serial"
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
    <Listbox v-if="tags.data.value?.tags.length" v-model="tagged" multiple as="div" class="relative">
      <ListboxButton class="cursor-pointer rounded-lg border border-line bg-card px-3 py-1.5">
        {{ tagged.length === 0 ? 'Tags' : tagged.join(', ') }} ▾
      </ListboxButton>
      <ListboxOptions
        class="absolute z-10 mt-1 max-h-80 w-56 overflow-auto rounded-lg border border-line bg-card py-1 shadow-lg"
      >
        <ListboxOption
          v-for="t in tags.data.value?.tags"
          :key="t.name"
          v-slot="{ active, selected }"
          :value="t.name"
          as="template"
        >
          <li class="flex cursor-pointer gap-2 px-3 py-1.5" :class="active ? 'bg-shade' : ''">
            <span class="w-4 text-accent" aria-hidden="true">{{ selected ? '●' : '' }}</span>{{ t.name }}
            <span class="ml-auto text-soft">{{ t.count }}</span>
          </li>
        </ListboxOption>
      </ListboxOptions>
    </Listbox>
    <Listbox v-model="columnsChosen" multiple as="div" class="relative">
      <ListboxButton class="cursor-pointer rounded-lg border border-line bg-card px-3 py-1.5">
        Columns<template v-if="facts.length"> ({{ facts.length }})</template> ▾
      </ListboxButton>
      <ListboxOptions class="drop-down right-0 max-h-80 w-56 overflow-auto">
        <ListboxOption v-for="f in choices" :key="f" v-slot="{ active, selected }" :value="f" as="template">
          <li class="flex cursor-pointer gap-2 px-3 py-1.5" :class="active ? 'bg-shade' : ''">
            <span class="w-4 text-accent" aria-hidden="true">{{ selected ? '●' : '' }}</span>{{ offered[f] }}
          </li>
        </ListboxOption>
      </ListboxOptions>
    </Listbox>
    <button type="submit" class="sr-only">Search</button>
  </form>
  <SavedFilters :where="where" :sort="sort" :facts="facts" :may="may" />
  <section
    v-if="doubts.data.value?.doubts.length && where.includes('doubt=yes')"
    aria-label="To be settled"
    class="mb-4 rounded-lg border border-line bg-card px-4 py-2"
  >
    <DoubtList :doubts="doubts.data.value.doubts" :may="may" @settled="doubts.refetch()" />
  </section>
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
      model, maker, certainty, tag, route, next, ends, older, hold, doubt, cause, retired; or a fact:
      <code>memory.installed_bytes&lt;=4GiB</code>, <code>tpm.state=not-seen</code>,
      <code>missing=tpm.header</code>. The same text works with <code>rolltop devices --where</code>.
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
            <th v-if="may" scope="col" class="w-7 py-1.5 pr-2 font-normal">
              <input
                type="checkbox"
                aria-label="Choose all of this page"
                :checked="chosenKeys.length === data.devices.length"
                @change="
                  chosenKeys = ($event.target as HTMLInputElement).checked
                    ? data.devices.map((d) => d.key)
                    : []
                "
              />
            </th>
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
            <th
              v-for="f in facts"
              :key="f"
              scope="col"
              class="py-1.5 pl-4 font-normal"
              :aria-sort="direction(f)"
            >
              <button type="button" class="cursor-pointer whitespace-nowrap hover:text-ink" @click="order(f)">
                {{ heading(f) }}
                <span aria-hidden="true">{{
                  { ascending: '↑', descending: '↓', none: '' }[direction(f)]
                }}</span>
              </button>
            </th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="d in data.devices" :key="d.key" class="border-b border-line/60 align-baseline">
            <td v-if="may" class="py-1.5 pr-2">
              <input v-model="chosenKeys" type="checkbox" :value="d.key" :aria-label="`Choose ${d.name}`" />
            </td>
            <td class="py-1.5 pr-4 font-semibold whitespace-nowrap">
              <RouterLink
                :to="{ name: 'device', params: { machine: d.key } }"
                class="underline-offset-2 hover:underline"
                >{{ d.name }}</RouterLink
              >
              <span
                v-for="t in d.tags"
                :key="t"
                class="ml-1.5 rounded border border-line px-1 text-xs font-normal text-soft"
                >{{ t }}</span
              >
              <span v-if="d.doubted" class="ml-1.5 text-xs font-normal text-replace">to be settled</span>
              <span v-if="d.retired" class="ml-1.5 text-xs font-normal text-soft">out of use</span>
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
            <td
              class="py-1.5 whitespace-nowrap"
              :class="d.stale ? 'font-semibold' : 'text-soft'"
              :title="sayMoment(d.taken_at)"
            >
              {{ ago(d.taken_at) }}<span v-if="d.stale" class="sr-only">, too long</span>
            </td>
            <td v-for="f in facts" :key="f" class="py-1.5 pl-4">
              {{ d.facts?.[f] ?? '' }}<span v-if="!d.facts?.[f]" class="text-soft">not known</span>
            </td>
          </tr>
        </tbody>
      </table>
    </div>
    <BulkBar v-if="may" class="mt-3" :where="where" :keys="chosenKeys" :total="data.total" />
    <nav v-if="pages > 1" aria-label="Pages" class="mt-4 flex items-center gap-3">
      <AppButton small :disabled="at <= 1" @click="change({ page: at - 1 })"> Back </AppButton>
      <span class="text-soft">Page {{ at }} of {{ pages }}</span>
      <AppButton small :disabled="!data.next" @click="change({ after: data.next })"> Next </AppButton>
    </nav>
  </template>
</template>
