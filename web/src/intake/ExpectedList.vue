<script setup lang="ts">
import AppButton from '../ui/AppButton.vue'
import { useQuery } from '@pinia/colada'
import { computed, ref } from 'vue'

import { api, ask, type Schemas } from '../client'
import { queries } from '../queries'
import { useAction } from '../use/useAction'

defineProps<{ may: boolean }>()
type Reason = NonNullable<Schemas['SetReason']['reason']>
const reasons: { reason: Reason; says: string }[] = [
  { reason: '', says: 'reason unknown' },
  { reason: 'off', says: 'switched off' },
  { reason: 'no-rights', says: 'no rights to run the collector' },
  { reason: 'refused', says: 'refused' },
  { reason: 'no-network', says: 'no network' },
  { reason: 'in-repair', says: 'in repair' },
  { reason: 'other', says: 'another reason' },
]
const { data, refetch } = useQuery(queries.expected())
const missing = computed(() => (data.value?.machines ?? []).filter((m) => !m.machine))
const models = computed(() => missing.value.some((m) => m.model))
const all = ref(false)
const shown = computed(() => (all.value ? missing.value : missing.value.slice(0, 20)))
const { trouble, run } = useAction()
async function why(id: number, reason: string) {
  await run(async () => {
    await ask(
      api.PUT('/expected/{id}/reason', { params: { path: { id } }, body: { reason: reason as Reason } }),
    )
  })
  await refetch()
}
</script>

<template>
  <p v-if="!data?.machines.length" class="text-soft">
    No list of expected machines. Import one with
    <code>rolltop expected import FILE.csv</code>with the columns name, serial, maker, model and site.
  </p>
  <template v-else>
    <p class="mb-2">
      <b>{{ data.missing }}</b> of {{ data.missing + data.reported }} expected machines never reported.
    </p>
    <table v-if="missing.length" class="w-full text-left text-sm">
      <thead class="text-soft">
        <tr>
          <th scope="col" class="py-1 pr-4 font-normal">Name</th>
          <th scope="col" class="py-1 pr-4 font-normal">Site</th>
          <th v-if="models" scope="col" class="py-1 pr-4 font-normal">Model</th>
          <th scope="col" class="py-1 font-normal">Reason</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="m in shown" :key="m.id" class="border-t border-line/60" :data-expected="m.name">
          <th scope="row" class="py-1 pr-4 font-semibold">{{ m.name }}</th>
          <td class="py-1 pr-4">{{ m.site }}</td>
          <td v-if="models" class="py-1 pr-4">{{ m.maker }} {{ m.model }}</td>
          <td class="py-1">
            <select
              v-if="may"
              :value="m.reason ?? ''"
              :aria-label="`Why ${m.name} does not report`"
              class="rounded-md border border-line bg-card px-2 py-0.5"
              @change="why(m.id, ($event.target as HTMLSelectElement).value)"
            >
              <option v-for="r in reasons" :key="r.reason" :value="r.reason">{{ r.says }}</option>
            </select>
            <template v-else>{{ reasons.find((r) => r.reason === (m.reason ?? ''))?.says }}</template>
            <span v-if="m.note" class="ml-2 text-soft">{{ m.note }}</span>
          </td>
        </tr>
      </tbody>
    </table>
    <AppButton v-if="missing.length > shown.length" kind="link" small class="mt-2" @click="all = true">
      Show all {{ missing.length }}
    </AppButton>
    <p v-if="trouble" role="alert" class="mt-2 text-replace">{{ trouble }}</p>
  </template>
</template>
