<script setup lang="ts">
import AppButton from '../ui/AppButton.vue'
import { useQueryCache } from '@pinia/colada'
import { computed, ref } from 'vue'

import { api, ask, type Schemas } from '../client'
import { inBase64 } from '../file'

const cache = useQueryCache()
/** What became of a line. */
interface Report {
  place: string
  says: string
  machine?: string
  key?: string
  good: boolean
}
const reports = ref<Report[]>([])
const busy = ref('')
const trouble = ref('')
const refused = computed(() => reports.value.filter((r) => !r.good))
let stop = new AbortController()

/** Hands in inventories, one a line, in pieces, so that there is progress and an end to it. */
async function handIn(lines: string[], name: string) {
  stop = new AbortController()
  const piece = 100
  for (let from = 0; from < lines.length && !stop.signal.aborted; from += piece) {
    busy.value = `${name}: ${from} of ${lines.length}`
    const some = lines.slice(from, from + piece)
    let text: string
    try {
      const answer = await fetch('/api/inventories/lines', {
        method: 'POST',
        headers: { 'Content-Type': 'application/x-ndjson' },
        body: some.join('\n'),
        signal: stop.signal,
      })
      text = await answer.text()
      if (!answer.ok) throw new Error((JSON.parse(text) as { detail?: string }).detail)
    } catch (e) {
      if (!stop.signal.aborted) trouble.value = (e as Error).message || 'The service does not answer.'
      break
    }
    for (const line of text.split('\n').filter(Boolean)) {
      const l = JSON.parse(line) as Schemas['SubmittedLine']
      const place = lines.length > 1 ? `${name}, line ${from + l.line}` : name
      if (l.problem) {
        reports.value.push({ place, good: false, says: l.problem })
        continue
      }
      const what = l.created ? 'a new machine' : l.changed ? 'new readings' : 'the same readings as before'
      reports.value.push({
        place,
        good: true,
        machine: l.name,
        key: l.device,
        says: [what, l.disposition, l.note].filter(Boolean).join('; '),
      })
    }
  }
  busy.value = ''
  await cache.invalidateQueries()
}

async function readFiles(event: Event) {
  const input = event.target as HTMLInputElement
  reports.value = []
  trouble.value = ''
  sheet.value = undefined
  for (const file of input.files ?? []) {
    if (/\.csv$/i.test(file.name)) {
      await openSheet(file)
      continue
    }
    const text = await file.text()
    const lines = text.split('\n').filter((l) => l.trim())
    const each = lines.length > 1 && lines.every((l) => l.trim().startsWith('{') && l.trim().endsWith('}'))
    // A document over several lines becomes one.
    await handIn(each ? lines : [text.replaceAll(/\r?\n/g, ' ')], file.name)
  }
  input.value = ''
}

// A spreadsheet: what becomes of each column, before anything is kept.
const sheet = ref<Schemas['SheetRead']>()
const sheetName = ref('')
const content = ref('')
const choices = ref<Record<string, { fact: string; unit?: string }>>({})
const platform = ref('windows')
async function openSheet(file: File) {
  content.value = await inBase64(file)
  sheetName.value = file.name
  choices.value = {}
  await readSheet()
}
async function readSheet() {
  trouble.value = ''
  try {
    sheet.value = await ask(
      api.POST('/sheets/read', {
        body: {
          name: sheetName.value,
          content: content.value,
          columns: choices.value,
          fixed: platform.value ? { 'os.platform': platform.value } : {},
        },
      }),
    )
  } catch (e) {
    trouble.value = (e as Error).message
  }
}
function choose(c: Schemas['SheetColumn'], fact: string, unit?: string) {
  choices.value = { ...choices.value, [c.heading]: { fact, unit: unit || undefined } }
  void readSheet()
}
async function keepSheet() {
  const lines = (sheet.value?.lines ?? '').split('\n').filter(Boolean)
  reports.value = (sheet.value?.refused ?? [])
    .filter((r) => r.problem)
    .map((r) => ({ place: `${sheetName.value}, row ${r.row}`, good: false, says: r.problem! }))
  await handIn(lines, sheetName.value)
  sheet.value = undefined
}
const names: Record<string, string> = {
  'memory.installed_bytes': 'memory that is plugged in',
  'memory.visible_bytes': 'memory that the system may use',
  'storage.system.disk_bytes': 'capacity of the system disk',
  'storage.system.volume_bytes': 'size of the system volume',
  'storage.system.partition_style': 'partition style of the system disk',
  'storage.boot.partition_style': 'partition style of the disk with the boot files',
  'firmware.secure_boot': 'secure boot is on or off',
  'firmware.secure_boot_capable': 'the firmware is able to',
  'tpm.version': 'version of the TPM',
  'tpm.state': 'state of the TPM',
}
const bases: Record<string, string> = {
  GB: 'GB, of 1,000 MB',
  GiB: 'GB, of 1,024 MB (GiB)',
  MB: 'MB, of 1,000 kB',
  MiB: 'MB, of 1,024 kB (MiB)',
}
const usual = ['GiB', 'GB', 'MiB', 'MB', 'TB', 'TiB', 'B', 'MHz', 'GHz']
const unitsOf = (c: Schemas['SheetColumn']) => usual.filter((u) => c.units?.includes(u))
const input = 'rounded-md border border-line bg-card px-2 py-0.5 text-sm text-ink'
</script>

<template>
  <label class="text-sm"
    >Inventories as the collector writes them with <code>--out</code>, one a file or one a line; or a
    spreadsheet as CSV
    <input
      type="file"
      multiple
      accept=".json,.ndjson,.csv,application/json,text/csv"
      class="mt-1 block text-sm"
      :disabled="!!busy"
      @change="readFiles"
    />
  </label>
  <p v-if="trouble" role="alert" class="mt-2 text-replace">{{ trouble }}</p>
  <p v-if="busy" role="status" class="mt-2 text-soft">
    Reading {{ busy }}…
    <button type="button" class="cursor-pointer underline" @click="stop.abort()">Stop</button>
  </p>

  <section v-if="sheet && !busy" aria-label="The spreadsheet" class="mt-4">
    <p class="mb-2 font-semibold">
      {{ sheetName }}:
      {{
        sheet.settled
          ? `${sheet.machines} of ${sheet.total} rows are machines.`
          : `${sheet.total} rows. Choose what its headings do not say; nothing is kept before.`
      }}
    </p>
    <label class="mb-3 block text-sm"
      >All of them run
      <select v-model="platform" :class="input" @change="readSheet">
        <option value="windows">Windows</option>
        <option value="macos">macOS</option>
        <option value="linux">Linux</option>
        <option value="">what a column says</option>
      </select>
    </label>
    <p v-for="p in sheet.problems" :key="p" class="mb-2 text-replace">{{ p }}</p>
    <table class="mb-3 text-left text-sm">
      <thead class="text-soft">
        <tr>
          <th scope="col" class="py-1 pr-5 font-normal">Column</th>
          <th scope="col" class="py-1 pr-5 font-normal">Is</th>
          <th scope="col" class="py-1 font-normal">In</th>
        </tr>
      </thead>
      <tbody>
        <tr
          v-for="c in sheet.columns"
          :key="c.heading"
          class="border-t border-line/60"
          :data-column="c.heading"
        >
          <th scope="row" class="py-1 pr-5 font-semibold">{{ c.heading }}</th>
          <td class="py-1 pr-5">
            <select
              v-if="c.ask?.length"
              :class="input"
              :aria-label="`What ${c.heading} is`"
              @change="choose(c, ($event.target as HTMLSelectElement).value)"
            >
              <option value="?" disabled selected>choose</option>
              <option v-for="f in c.ask" :key="f" :value="f">{{ names[f] ?? f }}</option>
              <option value="">leave it out</option>
            </select>
            <template v-else-if="c.fact">{{ names[c.fact] ?? c.fact }}</template>
            <span v-else class="text-soft">not used</span>
          </td>
          <td class="py-1">
            <select
              v-if="c.units?.length"
              :value="c.problem ? '' : c.unit"
              :class="input"
              :aria-label="`Unit of ${c.heading}`"
              @change="choose(c, c.fact!, ($event.target as HTMLSelectElement).value)"
            >
              <option value="" disabled>choose</option>
              <option v-for="u in unitsOf(c)" :key="u" :value="u">{{ bases[u] ?? u }}</option>
            </select>
          </td>
        </tr>
      </tbody>
    </table>
    <div
      v-if="sheet.rows.length"
      class="mb-3 overflow-x-auto"
      tabindex="0"
      role="region"
      aria-label="Preview"
    >
      <table class="text-left text-sm">
        <thead class="text-soft">
          <tr>
            <template v-for="(c, i) in sheet.columns" :key="i"
              ><th v-if="c.fact" scope="col" class="py-1 pr-4 font-normal">{{ c.heading }}</th></template
            >
          </tr>
        </thead>
        <tbody>
          <tr v-for="r in sheet.rows.slice(0, 6)" :key="r.row" class="border-t border-line/60">
            <template v-for="(c, i) in sheet.columns" :key="i"
              ><td v-if="c.fact" class="py-1 pr-4">
                {{ r.facts?.[i] }}<span v-if="!r.facts?.[i]" class="text-soft">not known</span>
              </td></template
            >
          </tr>
        </tbody>
      </table>
    </div>
    <ul v-if="sheet.settled" class="mb-3 text-sm text-soft">
      <li
        v-for="r in [...sheet.rows, ...sheet.refused].filter((r) => r.problem || r.left?.length)"
        :key="r.row"
      >
        Row {{ r.row }}: {{ r.problem ?? `without ${r.left?.join('; ')}` }}
      </li>
    </ul>
    <AppButton kind="main" small :disabled="!sheet.settled || !sheet.machines" @click="keepSheet">
      Hand in {{ sheet.machines }} machines
    </AppButton>
  </section>

  <template v-if="reports.length && !busy">
    <p role="status" class="mt-3 font-semibold">
      {{ reports.length - refused.length }} of {{ reports.length }} were taken{{
        refused.length
          ? `; ${refused.length} ${refused.length === 1 ? 'was' : 'were'} refused and left everything as it was`
          : ''
      }}.
    </p>
    <ul class="mt-1 text-sm">
      <li
        v-for="r in [...refused, ...reports.filter((r) => r.good)].slice(0, 300)"
        :key="r.place"
        class="py-0.5"
        :data-good="r.good"
      >
        <span :class="r.good ? 'text-ready' : 'text-replace'"
          >{{ r.place }}{{ r.good ? '' : ', refused' }}</span
        >:
        <RouterLink
          v-if="r.key"
          :to="{ name: 'device', params: { machine: r.key } }"
          class="underline underline-offset-2"
          >{{ r.machine }}</RouterLink
        >
        {{ r.says }}
      </li>
    </ul>
    <p v-if="reports.length > 300" class="text-sm text-soft">… and {{ reports.length - 300 }} more.</p>
  </template>
</template>
