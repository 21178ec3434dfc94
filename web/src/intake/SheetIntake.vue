<script setup lang="ts">
import { ref, watch } from 'vue'

import { api, ask, type Schemas } from '../client'
import { inBase64 } from '../file'
import AppButton from '../ui/AppButton.vue'
import { useAction } from '../use/useAction'
import { factNames, unitNames, usualUnits } from './headings'
import SheetRows from './SheetRows.vue'

/** A spreadsheet: what becomes of each column, before anything is kept. */
const props = defineProps<{ file: File }>()
const emit = defineEmits<{ imported: [] }>()
const { busy, says, trouble, run } = useAction()
const sheet = ref<Schemas['SheetRead']>()
const choices = ref<Record<string, { fact: string; unit?: string }>>({})
const platform = ref('windows')
const send = async (apply: boolean) =>
  ask(
    api.POST('/sheets', {
      body: {
        name: props.file.name,
        content: await inBase64(props.file),
        columns: choices.value,
        fixed: platform.value ? { 'os.platform': platform.value } : {},
        apply: apply || undefined,
      },
    }),
  )
/** Reads the sheet, and what each row would do; nothing is changed. */
const readSheet = () =>
  run(async () => {
    sheet.value = await send(false)
  })
watch(
  () => props.file,
  () => {
    sheet.value = undefined
    choices.value = {}
    void readSheet()
  },
  { immediate: true },
)
function choose(c: Schemas['SheetColumn'], fact: string, unit?: string) {
  choices.value = { ...choices.value, [c.heading]: { fact, unit: unit || undefined } }
  void readSheet()
}
const keep = () =>
  run(async () => {
    sheet.value = await send(true)
    emit('imported')
    return 'Imported.'
  })
const undo = () =>
  run(async () => {
    const params = { path: { id: sheet.value!.change! } }
    const got = await ask(api.POST('/bulk-changes/{id}/undo', { params }))
    sheet.value = undefined
    emit('imported')
    return got.says
  })
const unitsOf = (c: Schemas['SheetColumn']) => usualUnits.filter((u) => c.units?.includes(u))
</script>

<template>
  <p v-if="trouble" role="alert" class="mt-2 text-replace">{{ trouble }}</p>
  <p v-if="says" role="status" class="mt-2 text-ready">{{ says }}</p>
  <section v-if="sheet" aria-label="The spreadsheet" class="mt-4">
    <p class="mb-2 font-semibold">
      {{ file.name }}:
      {{
        sheet.settled
          ? `${sheet.machines} of ${sheet.total} rows are machines.`
          : `${sheet.total} rows. Answer the questions; nothing is imported before.`
      }}
    </p>
    <label class="mb-3 block text-sm"
      >Platform of all machines
      <select v-model="platform" class="entry py-0.5" @change="readSheet">
        <option value="windows">Windows</option>
        <option value="macos">macOS</option>
        <option value="linux">Linux</option>
        <option value="">from a column</option>
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
              class="entry py-0.5"
              :aria-label="`Meaning of ${c.heading}`"
              @change="choose(c, ($event.target as HTMLSelectElement).value)"
            >
              <option value="?" disabled selected>choose</option>
              <option v-for="f in c.ask" :key="f" :value="f">{{ factNames[f] ?? f }}</option>
              <option value="">ignore</option>
            </select>
            <template v-else-if="c.fact">{{ factNames[c.fact] ?? c.fact }}</template>
            <span v-else class="text-soft">not used</span>
          </td>
          <td class="py-1">
            <select
              v-if="c.units?.length"
              :value="c.problem ? '' : c.unit"
              class="entry py-0.5"
              :aria-label="`Unit of ${c.heading}`"
              @change="choose(c, c.fact!, ($event.target as HTMLSelectElement).value)"
            >
              <option value="" disabled>choose</option>
              <option v-for="u in unitsOf(c)" :key="u" :value="u">{{ unitNames[u] ?? u }}</option>
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
                {{ r.facts?.[i] }}<span v-if="!r.facts?.[i]" class="text-soft">unknown</span>
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
    <SheetRows v-if="sheet.imported.length" :sheet="sheet" />
    <AppButton
      v-if="!sheet.applied"
      kind="main"
      small
      :disabled="busy || !sheet.settled || !sheet.machines"
      @click="keep"
    >
      Import {{ sheet.machines }} machines
    </AppButton>
    <AppButton v-else-if="sheet.change" small :disabled="busy" @click="undo">Undo the import</AppButton>
  </section>
</template>
