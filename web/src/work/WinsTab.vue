<script setup lang="ts">
import { useQuery } from '@pinia/colada'
import { computed, ref } from 'vue'

import { queries } from '../queries'
import TroubleBox from '../ui/TroubleBox.vue'
import { hours, number } from '../words'
import EffortCurve from './EffortCurve.vue'

const props = defineProps<{ where: string }>()
const order = ref<'machines' | 'time'>('machines')
const { data, error, refetch } = useQuery(() => ({
  ...queries.wins({ where: props.where || undefined, order: order.value }),
  placeholderData: (before) => before,
}))
const most = computed(() => Math.max(1, ...(data.value?.remedies ?? []).map((r) => r.needs)))
const list = (where: string) => ({ name: 'machines', query: { where } })
const part = (n: number) => `${(100 * n) / most.value}%`
</script>

<template>
  <TroubleBox v-if="error && !data" :error="error" @again="refetch()" />
  <p v-else-if="!data" role="status" class="text-soft">Loading biggest wins…</p>
  <p v-else-if="data.machines === 0" class="text-soft">No machine matches.</p>
  <template v-else>
    <p class="mb-4 max-w-[75ch]">
      {{ number(data.ready) }} of {{ number(data.machines) }} machines are ready now.
      <template v-if="data.picks.length"> Each line makes the most additional machines ready. </template>
      <template v-if="data.undetermined">
        <RouterLink :to="list(data.where_undetermined)" class="underline underline-offset-2"
          >{{ number(data.undetermined) }} undetermined</RouterLink
        >
        are not included: find out first what is unknown.
      </template>
      <template v-if="data.decide">
        No known step makes
        <RouterLink :to="list(data.where_decide)" class="underline underline-offset-2"
          >{{ number(data.decide) }} {{ data.decide === 1 ? 'machine' : 'machines' }}</RouterLink
        >
        ready; a person has to decide.
      </template>
    </p>
    <div class="grid gap-x-9 gap-y-8 lg:grid-cols-[7fr_5fr]">
      <section aria-labelledby="order">
        <h2
          id="order"
          class="mb-2 flex flex-wrap items-baseline gap-x-4 border-b border-line pb-1.5 font-semibold"
        >
          In the best order
          <label class="no-print ml-auto text-sm font-normal text-soft"
            >First
            <select v-model="order" class="rounded-md border border-line bg-card px-1.5 py-0.5">
              <option value="machines">most machines per fix</option>
              <option value="time">least time per machine</option>
            </select>
          </label>
        </h2>
        <p v-if="data.picks.length === 0" class="text-soft">No known fix makes more machines ready.</p>
        <table v-else class="w-full text-left text-sm">
          <thead class="text-soft">
            <tr>
              <th scope="col" class="py-1 pr-2 font-normal"><span class="sr-only">Number</span></th>
              <th scope="col" class="py-1 pr-3 font-normal">Next</th>
              <th scope="col" class="py-1 pr-3 text-right font-normal">Machines</th>
              <th scope="col" class="py-1 pr-3 text-right font-normal">Ready afterwards</th>
              <th scope="col" class="py-1 pr-3 font-normal">Time</th>
              <th scope="col" class="py-1 font-normal">Parts</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="(p, i) in data.picks" :key="i" class="border-t border-line/60 align-baseline">
              <td class="py-1.5 pr-2 text-right text-soft">{{ i + 1 }}</td>
              <th scope="row" class="py-1.5 pr-3 font-normal">
                {{ p.steps.map((s) => s.title).join('; ') }}
              </th>
              <td class="py-1.5 pr-3 text-right whitespace-nowrap">
                <RouterLink
                  :to="list(p.where)"
                  class="font-semibold underline-offset-2 hover:underline"
                  :aria-label="`${p.gain} machines become ready`"
                  >+{{ number(p.gain) }}</RouterLink
                ><span v-if="p.expected" class="block text-[13px] text-soft">{{
                  p.expected === p.gain ? 'none confirmed' : `${number(p.expected)} not confirmed`
                }}</span>
              </td>
              <td class="py-1.5 pr-3 text-right">{{ number(p.ready) }}</td>
              <td class="py-1.5 pr-3 whitespace-nowrap">{{ hours(p.minutes) }}</td>
              <td class="py-1.5">{{ p.cost.most || p.cost.unpriced ? p.cost.says : '' }}</td>
            </tr>
          </tbody>
        </table>
      </section>
      <div>
        <section v-if="data.picks.length" aria-labelledby="curve" class="mb-8">
          <h2 id="curve" class="mb-2 border-b border-line pb-1.5 font-semibold">Machines ready over time</h2>
          <EffortCurve :wins="data" />
        </section>
        <section v-if="data.remedies.length" aria-labelledby="remedies">
          <h2 id="remedies" class="mb-2 border-b border-line pb-1.5 font-semibold">Each fix alone</h2>
          <ul>
            <li
              v-for="r in data.remedies"
              :key="r.step"
              class="grid grid-cols-[minmax(0,1fr)_7rem_2.6rem] items-center gap-x-3 py-1"
            >
              <RouterLink
                :to="list(r.where_needs)"
                class="leading-tight underline-offset-2 hover:underline"
                >{{ r.title }}</RouterLink
              >
              <div class="flex h-3.5 overflow-hidden rounded-[3px]" aria-hidden="true">
                <RouterLink
                  :to="list(r.where_alone)"
                  tabindex="-1"
                  class="bg-accent"
                  :style="{ width: part(r.alone) }"
                  :title="`${r.alone} need nothing else`"
                />
                <span class="hatch-accent" :style="{ width: part(r.needs - r.alone) }" />
              </div>
              <RouterLink
                :to="list(r.where_needs)"
                class="text-right font-semibold underline-offset-2 hover:underline"
                :aria-label="`${r.needs} machines need “${r.title}”, ${r.alone} of them nothing else`"
                >{{ number(r.needs) }}</RouterLink
              >
            </li>
          </ul>
          <p class="mt-3 text-[13px] text-soft">
            Solid: makes the machine ready alone. Hatched: together with another fix.
          </p>
        </section>
      </div>
    </div>
  </template>
</template>
