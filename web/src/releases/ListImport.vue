<script setup lang="ts">
import AppButton from '../ui/AppButton.vue'
import { computed, ref, watch } from 'vue'

import { api, ask, type Schemas } from '../client'
import { inBase64 } from '../file'
import { capital } from '../words'
import TroubleBox from '../ui/TroubleBox.vue'
import ImportFindings from './ImportFindings.vue'
import ImportStatements from './ImportStatements.vue'

const emit = defineEmits<{ use: [name: string, csv: string] }>()
defineProps<{ use: string }>()

const name = ref('')
const content = ref('')
const tables = ref<number[]>([])
const set = ref('')
const except = ref('')
const only = ref('')
const current = ref('')
const former = ref('')
const prefix = ref('')
const columns = ref<Record<string, string>>({})
const found = ref<Schemas['ImportedList']>()
const trouble = ref<unknown>()
const reading = ref(false)
const heads = computed(() => found.value?.heads ?? [])
const fields = [
  'name',
  'cores',
  'rated_mhz',
  'architecture',
  'built_in_tpm',
  'features',
  'model_year',
  'note',
]
const file = computed(() => name.value.replace(/\.[^.]*$/, '').replace(/[^A-Za-z0-9._-]+/g, '-') + '.csv')

function from(field: string) {
  return found.value?.used.find((u) => u.field === field)?.from.join(' + ') ?? ''
}

async function choose(event: Event) {
  const chosen = (event.target as HTMLInputElement).files?.[0]
  if (!chosen) return
  name.value = chosen.name
  content.value = await inBase64(chosen)
  tables.value = []
  columns.value = {}
  found.value = undefined // the watch below reads it
}

async function beside(event: Event, to: 'current' | 'former') {
  const chosen = (event.target as HTMLInputElement).files?.[0]
  if (to === 'former') former.value = chosen ? await inBase64(chosen) : ''
  else current.value = chosen ? await chosen.text() : ''
}

/** What the page states for all rows, as it is typed: cores=4, note=new. */
function statements(typed: string) {
  const out: Record<string, string> = {}
  for (const one of typed.split(',')) {
    const at = one.indexOf('=')
    if (at > 0) out[one.slice(0, at).trim()] = one.slice(at + 1).trim()
    else if (one.trim()) out[one.trim()] = ''
  }
  return out
}

async function read() {
  if (!content.value) return
  reading.value = true
  trouble.value = undefined
  try {
    found.value = await ask(
      api.POST('/lists/import', {
        body: {
          name: name.value,
          content: content.value,
          tables: tables.value,
          prefix: prefix.value,
          columns: columns.value,
          set: statements(set.value),
          only_marked: statements(only.value),
          except_marked: except.value.split(/[\s,]+/).filter(Boolean),
          current: current.value,
          former: former.value || undefined,
        },
      }),
    )
  } catch (e) {
    trouble.value = e
  } finally {
    reading.value = false
  }
}

function map(field: string, heading: string) {
  const next = { ...columns.value }
  if (heading) next[field] = heading
  else delete next[field]
  columns.value = next
}
watch([tables, prefix, columns, set, except, only, current, former], () => void read(), { deep: true })

function download() {
  const link = document.createElement('a')
  link.href = 'data:text/csv;charset=utf-8,' + encodeURIComponent(found.value?.csv ?? '')
  link.download = file.value
  link.click()
}
</script>

<template>
  <p class="mb-3 max-w-[70ch] text-soft">
    Save the publisher's page in your browser after its table is shown, or export the table as CSV or XLSX.
    You see a preview first; nothing is saved.
  </p>
  <label class="mb-4 block">
    <span class="mr-3 font-semibold">Page or table</span>
    <input
      type="file"
      accept=".html,.htm,.csv,.tsv,.txt,.xlsx"
      @click="($event.target as HTMLInputElement).value = ''"
      @change="choose"
    />
  </label>
  <TroubleBox v-if="trouble" :error="trouble" class="mb-4" @again="read()" />
  <p v-if="reading" role="status" class="text-soft">Reading {{ name }}…</p>
  <template v-if="found">
    <div class="mb-4 flex flex-wrap items-end gap-x-6 gap-y-3">
      <fieldset v-if="found.tables.length > 1" class="text-sm">
        <legend class="text-soft">Tables to join (none: the one with the most names)</legend>
        <div class="max-h-32 overflow-auto">
          <label v-for="(t, i) in found.tables" :key="i" class="block">
            <input v-model="tables" type="checkbox" :value="i + 1" />
            {{ capital(t.where) }}: {{ t.rows }} {{ t.rows === 1 ? 'row' : 'rows' }}
            <span v-if="!tables.length && found.chosen.includes(i + 1)" class="text-soft">(used)</span>
          </label>
        </div>
      </fieldset>
      <label class="block text-sm">
        <span class="block text-soft">Prefix of every name</span>
        <input
          v-model.lazy="prefix"
          type="text"
          placeholder="a maker that the page omits"
          class="rounded-md border border-line bg-card px-2 py-1"
        />
      </label>
    </div>
    <label class="mb-4 block text-sm">
      <span class="block text-soft">Name from several columns, with a text in quotes between them</span>
      <input
        :value="columns.name && !heads.includes(columns.name) ? columns.name : ''"
        type="text"
        placeholder="Brand+'-'+Model"
        class="w-80 rounded-md border border-line bg-card px-2 py-1"
        @change="map('name', ($event.target as HTMLInputElement).value)"
      />
    </label>
    <h3 class="mb-1 font-semibold">Columns</h3>
    <div class="mb-4 flex flex-wrap gap-x-5 gap-y-2 text-sm">
      <label v-for="f in fields" :key="f" class="block">
        <code class="block text-soft">{{ f }}</code>
        <select
          :value="heads.includes(columns[f] ?? '') ? columns[f] : ''"
          class="max-w-[12rem] rounded-md border border-line bg-card px-2 py-1"
          @change="map(f, ($event.target as HTMLSelectElement).value)"
        >
          <option value="">{{ from(f) ? `found: ${from(f)}` : 'none' }}</option>
          <option v-for="(h, i) in heads" :key="i" :value="h">{{ h }}</option>
        </select>
      </label>
    </div>
    <ImportStatements
      v-model:set="set"
      v-model:except="except"
      v-model:only="only"
      @current="beside($event, 'current')"
      @former="beside($event, 'former')"
    />
    <p v-if="found.ignored.length" class="mb-3 text-sm text-soft">
      Not used: {{ found.ignored.join(', ') }}.
    </p>
    <p class="mb-2 font-semibold">
      {{ found.total }} rows<template v-if="found.left">, {{ found.left }} left out</template>
    </p>
    <div class="mb-4 max-h-72 overflow-auto rounded-lg border border-line">
      <table class="w-full text-left text-sm">
        <thead class="sticky top-0 bg-card">
          <tr class="text-soft">
            <th v-for="f in fields" :key="f" scope="col" class="px-3 py-1 font-normal">{{ f }}</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="r in found.rows" :key="r.name" class="border-t border-line/60">
            <td class="px-3 py-1 font-semibold">{{ r.name }}</td>
            <td class="px-3 py-1">{{ r.cores }}</td>
            <td class="px-3 py-1">{{ r.rated_mhz }}</td>
            <td class="px-3 py-1">{{ r.architecture }}</td>
            <td class="px-3 py-1">{{ r.built_in_tpm }}</td>
            <td class="px-3 py-1">{{ r.features?.join(' ') }}</td>
            <td class="px-3 py-1">{{ r.model_year }}</td>
            <td class="px-3 py-1">{{ r.note }}</td>
          </tr>
        </tbody>
      </table>
    </div>
    <ImportFindings :found="found" />
    <section v-if="found.dropped.length" class="mb-4 text-sm">
      <h3 class="mb-1 font-semibold">Left out</h3>
      <ul class="max-h-48 overflow-auto">
        <li v-for="(d, i) in found.dropped" :key="i" class="py-0.5">
          <span class="text-soft">Row {{ d.row }}:</span> {{ d.text }} – {{ d.why }}
        </li>
      </ul>
    </section>
    <div class="flex flex-wrap gap-3">
      <AppButton v-if="use" kind="main" @click="emit('use', file, found.csv)">
        {{ use }}
      </AppButton>
      <AppButton @click="download"> Save as {{ file }} </AppButton>
    </div>
  </template>
</template>
