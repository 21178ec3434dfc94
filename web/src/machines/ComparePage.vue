<script setup lang="ts">
import AppButton from '../ui/AppButton.vue'
import { useQuery } from '@pinia/colada'
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import type { Disposition } from '../client'
import { queries } from '../queries'
import DispositionMark from '../ui/DispositionMark.vue'
import TroubleBox from '../ui/TroubleBox.vue'
import { capital, sayMoment } from '../words'

const route = useRoute()
const router = useRouter()
const a = computed(() => String(route.query.a ?? ''))
const b = computed(() => String(route.query.b ?? ''))
const number = (key: string) => Number(route.query[key] ?? 0) || 0
const { data, error, refetch } = useQuery(() => ({
  ...queries.compare({
    a: a.value,
    b: b.value,
    inventory_a: number('inventory_a'),
    inventory_b: number('inventory_b'),
  }),
  enabled: a.value !== '' && b.value !== '',
}))
const all = ref(false)
const facts = computed(() => (data.value?.facts ?? []).filter((f) => all.value || f.kind === 'differs'))
const hidden = computed(() => (data.value?.facts.length ?? 0) - facts.value.length)
const lists = computed(() => {
  const out = new Map<string, { list: string; a: string[]; b: string[] }>()
  for (const r of data.value?.rows ?? []) {
    const g = out.get(r.list) ?? { list: r.list, a: [], b: [] }
    g[r.in].push(r.row)
    out.set(r.list, g)
  }
  return [...out.values()]
})
const kinds: Record<string, string> = {
  'only-a': 'unknown for the other',
  'only-b': 'unknown for the first',
  invisible: 'not visible: read with fewer rights',
}

const outcomes: Record<string, string> = {
  pass: 'met',
  fail: 'not met',
  unknown: 'unknown',
  'not-applicable': 'does not apply',
}
// The other machine is found by its name.
const words = ref('')
const found = useQuery(() => ({
  ...queries.machines({ where: words.value.replaceAll('=', ' '), sort: 'name', page: 1, size: 8 }),
  enabled: words.value.trim().length > 1,
}))
watch([a, b], () => (words.value = ''))
const pick = (key: string) =>
  router.push({ query: a.value === '' ? { a: key } : { ...route.query, b: key, inventory_b: undefined } })
</script>

<template>
  <h1 class="mb-3 text-[27px] leading-tight font-semibold tracking-tight">
    <template v-if="data">{{ data.a.name }} and {{ data.b.name }}</template
    ><template v-else>Compare two machines</template>
  </h1>
  <div v-if="!b || !a" class="mb-6 max-w-xl">
    <p class="mb-2">
      {{ a ? `Compare ${a.toUpperCase()} with which machine?` : 'Which machine first?' }}
    </p>
    <label class="sr-only" for="other">Find the machine</label>
    <input
      id="other"
      v-model="words"
      type="search"
      placeholder="Find a machine, model or site"
      class="w-full rounded-lg border border-line bg-card px-3 py-1.5"
    />
    <ul class="mt-2">
      <li v-for="d in found.data.value?.machines ?? []" :key="d.key">
        <button
          type="button"
          class="w-full cursor-pointer rounded-md px-2 py-1 text-left hover:bg-shade"
          @click="pick(d.key)"
        >
          <b>{{ d.name }}</b>
          <span class="text-soft">{{ d.manufacturer }} {{ d.model }} · {{ d.site }}</span>
        </button>
      </li>
    </ul>
  </div>
  <TroubleBox v-if="error" :error="error" @again="refetch()" />
  <template v-else-if="data">
    <p class="mb-5 text-[17px]">{{ data.says }}</p>
    <div class="mb-7 grid gap-6 sm:grid-cols-2">
      <div v-for="s in [data.a, data.b]" :key="s.name + s.taken_at" class="card p-4">
        <h2 class="font-semibold">{{ s.name }}</h2>
        <p class="text-sm text-soft">
          {{ s.model }} · inventory of {{ sayMoment(s.taken_at)
          }}<template v-if="s.elevated !== undefined"
            >, {{ s.elevated ? 'read as administrator' : 'without administrator rights' }}</template
          >
        </p>
        <p v-if="s.disposition" class="mt-2">
          <DispositionMark :of="s.disposition as Disposition" />: {{ s.answer }}
        </p>
      </div>
    </div>
    <section v-if="data.release" class="mb-7">
      <h2 class="mb-2 border-b border-line pb-1.5 font-semibold">
        Findings that differ, against {{ data.release }}
      </h2>
      <p v-if="data.findings.length === 0" class="text-soft">None.</p>
      <table v-else class="w-full text-left">
        <thead>
          <tr class="text-sm text-soft">
            <th scope="col" class="py-1 pr-4 font-normal">Requirement</th>
            <th scope="col" class="py-1 pr-4 font-normal">{{ data.a.name }}</th>
            <th scope="col" class="py-1 pr-4 font-normal">{{ data.b.name }}</th>
            <th scope="col" class="py-1 font-normal">Needed</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="f in data.findings" :key="f.requirement" class="border-t border-line/60 align-baseline">
            <th scope="row" class="py-1.5 pr-4 font-semibold">{{ f.title }}</th>
            <td class="py-1.5 pr-4">
              {{ f.has_a }} <span class="text-soft">({{ outcomes[f.a] }})</span>
            </td>
            <td class="py-1.5 pr-4">
              {{ f.has_b }} <span class="text-soft">({{ outcomes[f.b] }})</span>
              <span v-if="f.invisible" class="block text-sm text-soft">could not be checked this time</span>
            </td>
            <td class="py-1.5">{{ f.needs }}</td>
          </tr>
        </tbody>
      </table>
    </section>
    <section class="mb-7">
      <h2 class="mb-2 border-b border-line pb-1.5 font-semibold">Facts that differ</h2>
      <table class="w-full text-left">
        <thead class="sr-only">
          <tr>
            <th scope="col">Fact</th>
            <th scope="col">{{ data.a.name }}</th>
            <th scope="col">{{ data.b.name }}</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="f in facts" :key="f.fact" class="border-t border-line/60 align-baseline">
            <th scope="row" class="w-64 py-1 pr-4 font-normal text-soft" :title="f.fact">
              {{ capital(f.label) }}
            </th>
            <td class="py-1 pr-4 wrap-anywhere">{{ f.a }}</td>
            <td class="py-1 wrap-anywhere">
              {{ f.b }}
              <span v-if="kinds[f.kind]" class="block text-sm text-soft">{{ kinds[f.kind] }}</span>
            </td>
          </tr>
        </tbody>
      </table>
      <AppButton v-if="hidden > 0 || all" kind="link" class="mt-2" @click="all = !all">
        {{ all ? 'Only facts known for both' : `And ${hidden} facts known for only one` }}
      </AppButton>
    </section>
    <section v-if="lists.length" class="mb-7">
      <h2 class="mb-2 border-b border-line pb-1.5 font-semibold">In only one of the two</h2>
      <div
        v-for="g in lists"
        :key="g.list"
        class="grid gap-x-4 border-b border-line/60 py-1.5 sm:grid-cols-[16rem_1fr_1fr]"
      >
        <span class="text-soft">{{ capital(g.list) }}</span>
        <span>{{ g.a.join(', ') || '–' }}</span>
        <span>{{ g.b.join(', ') || '–' }}</span>
      </div>
    </section>
    <section v-if="data.disagree.length" class="mb-7">
      <h2 class="mb-2 border-b border-line pb-1.5 font-semibold">Conflicts</h2>
      <p v-for="d in data.disagree" :key="d.in + d.fact" class="py-1">
        <b>{{ d.in === 'a' ? data.a.name : data.b.name }}</b>, {{ d.label }}: {{ d.readings }}
      </p>
    </section>
    <p class="text-sm">
      <RouterLink :to="{ query: { a: route.query.a } }" class="text-accent underline underline-offset-2"
        >Compare {{ data.a.name }} with another machine</RouterLink
      >
    </p>
  </template>
</template>
