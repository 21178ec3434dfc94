<script setup lang="ts">
import AppButton from '../ui/AppButton.vue'
import { useQuery } from '@pinia/colada'
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'

import { api, ask, ifUnchanged, type Schemas } from '../client'
import { queries } from '../queries'
import TroubleBox from '../ui/TroubleBox.vue'
import { number, sayDay } from '../words'
import ForecastTable from './ForecastTable.vue'
import WaveForm from './WaveForm.vue'
import { useAction } from '../use/useAction'

defineProps<{ manages: boolean }>()
const router = useRouter()
const { data, error, refetch } = useQuery(queries.waves())
const waves = computed(() => data.value?.waves ?? [])
const from = ref('')
const to = ref('')
const reason = ref('')
const { trouble, run } = useAction()
const setDays = (change: (days: Schemas['Blackout'][]) => Schemas['Blackout'][]) =>
  run(async () => {
    const now = await ask(api.GET('/blackout'))
    await ask(api.PUT('/blackout', { body: { days: change(now.days) }, headers: ifUnchanged(now) }))
    from.value = to.value = reason.value = ''
    await refetch()
  })
const add = () =>
  setDays((days) => [
    ...days,
    { from: from.value, to: to.value || from.value, reason: reason.value || undefined },
  ])
const drop = (b: Schemas['Blackout']) =>
  setDays((days) => days.filter((x) => x.from !== b.from || x.to !== b.to || x.reason !== b.reason))
const outcomes = ['arrived', 'handed-off', 'waiting', 'failed', 'back'] as const
const fills: Record<(typeof outcomes)[number], string> = {
  arrived: 'fill-ready',
  'handed-off': 'fill-reconfigure',
  waiting: 'hatch-accent',
  failed: 'fill-replace',
  back: 'fill-refit',
}
</script>

<template>
  <TroubleBox v-if="error && !data" :error="error" @again="refetch()" />
  <p v-else-if="!data" role="status" class="text-soft">Loading waves…</p>
  <template v-else>
    <section aria-label="Forecast" class="mb-7">
      <div v-for="(f, i) in data.forecasts" :key="f.class" class="mb-3">
        <p v-if="i > 0" class="text-[17px]">{{ f.says }}</p>
        <p v-if="f.needs">{{ f.needs }}</p>
        <details class="text-sm text-soft">
          <summary class="cursor-pointer">{{ f.release }}: assumptions of the forecast</summary>
          <ul class="mt-1 list-disc pl-6">
            <li v-for="a in f.assumes" :key="a">{{ a }}</li>
          </ul>
        </details>
      </div>
    </section>
    <ForecastTable />
    <div class="grid gap-x-9 gap-y-8 lg:grid-cols-[7fr_5fr]">
      <section aria-labelledby="waves">
        <h2 id="waves" class="border-b border-line pb-1.5 font-semibold">Waves</h2>
        <p v-if="waves.length === 0" class="py-2 text-soft">
          No waves yet. Start with a small pilot, so that problems affect few machines.
        </p>
        <ul>
          <li v-for="w in waves" :key="w.id" class="border-b border-line/60 py-2.5">
            <p class="flex flex-wrap items-baseline gap-x-3">
              <RouterLink
                :to="{ name: 'wave', params: { id: w.id } }"
                class="font-semibold underline-offset-2 hover:underline"
                >{{ w.name }}</RouterLink
              >
              <span v-if="w.pilot" class="rounded border border-line px-1.5 text-xs text-soft">pilot</span>
              <span v-if="w.paused" class="rounded border border-replace px-1.5 text-xs text-replace"
                >paused</span
              >
              <span v-if="w.ended" class="rounded border border-line px-1.5 text-xs text-soft">ended</span>
              <span class="ml-auto text-sm text-soft">{{ sayDay(w.starts) }} to {{ sayDay(w.ends) }}</span>
            </p>
            <div class="my-1 flex h-2.5 gap-[2px] overflow-hidden rounded-[3px] bg-shade" aria-hidden="true">
              <span
                v-for="o in outcomes.filter((o) => w.outcomes[o])"
                :key="o"
                :class="fills[o]"
                :style="{ width: `${(100 * (w.outcomes[o] ?? 0)) / w.most}%` }"
              />
            </div>
            <p class="text-sm text-soft">{{ w.says }}</p>
          </li>
        </ul>
        <p v-if="waves.length" class="mt-2 text-[13px] text-soft">The full length is the size of the wave.</p>
      </section>
      <div>
        <section v-if="manages" aria-labelledby="add-wave" class="no-print mb-8">
          <h2 id="add-wave" class="mb-3 border-b border-line pb-1.5 font-semibold">New wave</h2>
          <WaveForm @made="(w) => router.push({ name: 'wave', params: { id: w.id } })" />
        </section>
        <section aria-labelledby="blackout">
          <h2 id="blackout" class="mb-2 border-b border-line pb-1.5 font-semibold">Blackout days</h2>
          <p v-if="data.blackout.length === 0" class="text-soft">None.</p>
          <ul>
            <li
              v-for="b in data.blackout"
              :key="b.from + b.to"
              class="flex flex-wrap items-baseline gap-x-3 py-0.5"
            >
              <span>{{ sayDay(b.from) }} to {{ sayDay(b.to) }}</span>
              <span class="text-soft">{{ b.reason }}</span>
              <AppButton
                v-if="manages"
                kind="link"
                small
                :aria-label="`Remove the days from ${b.from}`"
                @click="drop(b)"
              >
                Remove
              </AppButton>
            </li>
          </ul>
          <form
            v-if="manages"
            class="no-print mt-2 flex flex-wrap items-end gap-2 text-[13px] text-soft"
            @submit.prevent="add"
          >
            <label>From <input v-model="from" type="date" required class="entry block text-ink" /></label>
            <label>To <input v-model="to" type="date" class="entry block text-ink" /></label>
            <label>Why <input v-model="reason" maxlength="200" class="entry block w-40 text-ink" /></label>
            <AppButton small type="submit"> Add </AppButton>
          </form>
          <p v-if="trouble" role="alert" class="mt-1 text-sm text-replace">{{ trouble }}</p>
        </section>
      </div>
    </div>
    <p class="mt-4 text-sm text-soft">
      {{ number(waves.reduce((n, w) => n + w.machines, 0)) }} machines are in waves.
    </p>
  </template>
</template>
