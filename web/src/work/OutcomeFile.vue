<script setup lang="ts">
import { computed, ref } from 'vue'

import { api, ask, type Schemas } from '../client'
import { inBase64 } from '../file'
import AppButton from '../ui/AppButton.vue'
import { useAction } from '../use/useAction'
import { capital, count } from '../words'

/** Outcomes in a file of the deployment system: shown as they are understood, and recorded on a word. */
const props = defineProps<{ wave: Schemas['WaveDetail'] }>()
const emit = defineEmits<{ taken: [] }>()
const fields = ['machine', 'outcome', 'reason', 'release'] as const
const outcomes = ['arrived', 'failed', 'back', 'waiting'] as const
const file = ref<{ name: string; content: string }>()
const columns = ref<Record<string, string>>({})
const words = ref<Record<string, string>>({})
const seen = ref<Schemas['OutcomesTaken']>()
const { busy, says, trouble, run } = useAction()
/** Texts of the file that are no outcome. */
const strange = computed(() => [
  ...new Set(
    (seen.value?.outcomes ?? []).map((o) => o.outcome).filter((o) => !outcomes.some((known) => known === o)),
  ),
])
const send = (dryRun: boolean) =>
  ask(
    api.POST('/waves/{id}/outcomes/file', {
      params: { path: { id: props.wave.id } },
      body: {
        ...file.value!,
        columns: Object.fromEntries(Object.entries(columns.value).filter(([, heading]) => heading)),
        words: Object.fromEntries(Object.entries(words.value).filter(([, outcome]) => outcome)),
        dry_run: dryRun || undefined,
      },
    }),
  )
const look = () =>
  run(async () => {
    seen.value = await send(true)
  })
async function choose(e: Event) {
  const field = e.target as HTMLInputElement
  const chosen = field.files?.[0]
  if (!chosen) return
  file.value = { name: chosen.name, content: await inBase64(chosen) }
  columns.value = {}
  words.value = {}
  seen.value = undefined
  await look()
  field.value = ''
}
const record = () =>
  run(async () => {
    const got = await send(false)
    seen.value = undefined
    file.value = undefined
    emit('taken')
    return `${capital(count(got.taken, 'outcome', 'outcomes'))} recorded.`
  })
</script>

<template>
  <div class="mt-3">
    <label class="block text-[13px] text-soft"
      >Or a file from the deployment system
      <input
        type="file"
        accept=".csv,.ndjson,.json,.txt,.xlsx"
        class="mt-0.5 block w-full text-sm text-ink"
        @change="choose"
    /></label>
    <p v-if="trouble" role="alert" class="mt-1 text-sm text-replace">{{ trouble }}</p>
    <p v-if="says" role="status" class="mt-1 text-sm text-ready">{{ says }}</p>
    <form v-if="file && seen" class="mt-2 grid gap-2 text-[13px]" @submit.prevent="record">
      <template v-if="seen.headings?.length">
        <label v-for="f in fields" :key="f" class="grid grid-cols-[6rem_1fr] items-center text-soft"
          >{{ capital(f) }}
          <select v-model="columns[f]" class="entry" @change="look">
            <option :value="undefined">recognized</option>
            <option v-for="h in seen.headings" :key="h" :value="h">{{ h }}</option>
          </select>
        </label>
      </template>
      <label v-for="w in strange" :key="w" class="grid grid-cols-[6rem_1fr] items-center text-soft"
        >“{{ w }}” means
        <select v-model="words[w]" class="entry" @change="look">
          <option :value="undefined">not known</option>
          <option v-for="o in outcomes" :key="o" :value="o">{{ wave.outcome_names[o] ?? o }}</option>
        </select>
      </label>
      <ul class="max-h-48 overflow-y-auto border-y border-line/60 py-1">
        <li v-for="(o, i) in seen.outcomes" :key="i">
          <b>{{ o.machine }}</b> {{ wave.outcome_names[o.outcome] ?? o.outcome
          }}<span v-if="o.release" class="text-soft"> ({{ o.release }})</span
          ><span v-if="o.reason" class="text-soft">: {{ o.reason }}</span>
        </li>
      </ul>
      <ul v-if="seen.problems?.length" class="text-replace">
        <li v-for="p in seen.problems" :key="p">Not recorded: line {{ p }}</li>
      </ul>
      <AppButton small type="submit" :disabled="busy || seen.taken === 0" class="justify-self-start">
        Record {{ count(seen.taken, 'outcome', 'outcomes') }}
      </AppButton>
    </form>
  </div>
</template>
