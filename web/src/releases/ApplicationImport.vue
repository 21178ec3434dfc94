<script setup lang="ts">
import { ref, watch } from 'vue'

import { api, ask, type Schemas } from '../client'
import { inBase64 } from '../file'
import AppButton from '../ui/AppButton.vue'
import TroubleBox from '../ui/TroubleBox.vue'
import { capital, count } from '../words'

/** Makes the section software of a release document from a table of applications. */
const fields = [
  'name',
  'publisher',
  'code',
  'at_least',
  'below',
  'versions',
  'is',
  'weight',
  'note',
  'cure',
  'cost',
  'decides',
]
const name = ref('')
const content = ref('')
const table = ref(0)
const columns = ref<Record<string, string>>({})
const states = ref('')
const found = ref<Schemas['ImportedApplications']>()
const trouble = ref<unknown>()

async function choose(event: Event) {
  const chosen = (event.target as HTMLInputElement).files?.[0]
  if (!chosen) return
  name.value = chosen.name
  table.value = 0
  columns.value = {}
  found.value = undefined
  content.value = await inBase64(chosen)
  await read()
}

/** What the page calls its states, as it is typed: works with limits=problem. */
function stateWords() {
  const out: Record<string, string> = {}
  for (const one of states.value.split(',')) {
    const at = one.indexOf('=')
    if (at > 0) out[one.slice(0, at).trim()] = one.slice(at + 1).trim()
  }
  return out
}

async function read() {
  if (!content.value) return
  trouble.value = undefined
  try {
    found.value = await ask(
      api.POST('/applications/import', {
        body: {
          name: name.value,
          content: content.value,
          table: table.value,
          columns: columns.value,
          states: stateWords(),
        },
      }),
    )
  } catch (e) {
    trouble.value = e
  }
}

function map(field: string, heading: string) {
  const next = { ...columns.value }
  if (heading) next[field] = heading
  else delete next[field]
  columns.value = next
}
watch([table, columns, states], () => void read())

const from = (field: string) => found.value?.used.find((u) => u.field === field)?.from[0]

function download() {
  const link = document.createElement('a')
  link.href = 'data:text/yaml;charset=utf-8,' + encodeURIComponent(found.value?.document ?? '')
  link.download = 'software.yaml'
  link.click()
}
</script>

<template>
  <label class="mb-4 block">
    <span class="mr-3 font-semibold">Page or table of applications</span>
    <input
      type="file"
      accept=".html,.htm,.csv,.tsv,.txt,.xlsx"
      @click="($event.target as HTMLInputElement).value = ''"
      @change="choose"
    />
  </label>
  <label v-if="content" class="mb-4 block text-sm">
    <span class="block text-soft">What the page calls a state, and the state</span>
    <input
      v-model.lazy="states"
      type="text"
      placeholder="works with limits=problem, needs version 5=buy"
      class="w-96 max-w-full rounded-md border border-line bg-card px-2 py-1"
    />
  </label>
  <TroubleBox v-if="trouble" :error="trouble" class="mb-4" @again="read()" />
  <template v-if="found">
    <label v-if="found.tables.length > 1" class="mb-4 block text-sm">
      <span class="block text-soft">Table</span>
      <select v-model="table" class="rounded-md border border-line bg-card px-2 py-1">
        <option :value="0">found: {{ capital(found.tables[found.chosen - 1]?.where ?? '') }}</option>
        <option v-for="(t, i) in found.tables" :key="i" :value="i + 1">
          {{ capital(t.where) }}: {{ count(t.rows, 'row', 'rows') }}
        </option>
      </select>
    </label>
    <h3 class="mb-1 font-semibold">Columns</h3>
    <div class="mb-4 flex flex-wrap gap-x-5 gap-y-2 text-sm">
      <label v-for="f in fields" :key="f" class="block">
        <code class="block text-soft">{{ f }}</code>
        <select
          :value="columns[f] ?? ''"
          class="max-w-[12rem] rounded-md border border-line bg-card px-2 py-1"
          @change="map(f, ($event.target as HTMLSelectElement).value)"
        >
          <option value="">{{ from(f) ? `found: ${from(f)}` : 'none' }}</option>
          <option v-for="(h, i) in found.heads" :key="i" :value="h">{{ h }}</option>
        </select>
      </label>
    </div>
    <p v-for="g in found.guessed" :key="g" class="mb-2 text-sm">Assumed: {{ g }}</p>
    <p class="mb-2 font-semibold">{{ capital(count(found.total, 'application', 'applications')) }}</p>
    <div class="mb-4 max-h-72 overflow-auto rounded-lg border border-line">
      <table class="w-full text-left text-sm">
        <thead class="sticky top-0 bg-card text-soft">
          <tr>
            <th
              v-for="h in ['Application', 'Versions', 'What it takes', 'Weight', 'Note']"
              :key="h"
              scope="col"
              class="px-3 py-1 font-normal"
            >
              {{ h }}
            </th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="(r, i) in found.rows" :key="i" class="border-t border-line/60 align-top">
            <td class="px-3 py-1">
              <b>{{ r.name }}</b> <span class="text-soft">{{ r.publisher }}</span>
            </td>
            <td class="px-3 py-1">{{ r.versions }}</td>
            <td class="px-3 py-1">{{ r.says }}</td>
            <td class="px-3 py-1">{{ r.weighs }}</td>
            <td class="px-3 py-1">{{ r.note }} {{ r.terms }}</td>
          </tr>
        </tbody>
      </table>
    </div>
    <section v-if="found.dropped.length" class="mb-4 text-sm">
      <h3 class="mb-1 font-semibold">Left out</h3>
      <ul class="max-h-48 overflow-auto">
        <li v-for="(d, i) in found.dropped" :key="i" class="py-0.5">
          <span class="text-soft">Row {{ d.row }}:</span> {{ d.text }} – {{ d.why }}
        </li>
      </ul>
    </section>
    <h3 class="mb-1 font-semibold">For the release document</h3>
    <pre class="mb-3 max-h-64 overflow-auto rounded-md border border-line bg-card px-3 py-2 text-xs">{{
      found.document
    }}</pre>
    <AppButton @click="download">Save as software.yaml</AppButton>
  </template>
</template>
