<script setup lang="ts">
import { useQuery } from '@pinia/colada'
import { computed, ref } from 'vue'

import { queries } from '../queries'
import { number, sayDay } from '../words'

/** Ends of support with what they ask for, at the present pace or at another one. */
const typed = ref('')
const pace = computed(() => Number(typed.value) || 0)
const { data } = useQuery(() => queries.forecast(pace.value))
const rounded = (n: number) => (n < 10 ? n.toFixed(2).replace(/\.?0+$/, '') : number(Math.ceil(n)))
</script>

<template>
  <section v-if="data" aria-labelledby="deadlines" class="mb-7">
    <h2 id="deadlines" class="mb-2 flex flex-wrap items-baseline gap-x-4 border-b border-line pb-1.5">
      <span class="font-semibold">Ends of support, and the pace that meets them</span>
      <label class="no-print ml-auto text-[13px] text-soft"
        >Machines a working day
        <input
          v-model="typed"
          type="number"
          min="0"
          step="any"
          placeholder="as now"
          class="entry ml-1 inline-block w-24"
      /></label>
    </h2>
    <template v-for="f in data.forecasts" :key="f.class">
      <p class="mt-2 text-sm">
        <b>{{ f.release }}</b>
        <span class="text-soft">
          · {{ pace ? 'at' : 'at the present' }} {{ rounded(f.assumed_pace) }} a working day<template
            v-if="f.needed_pace"
            >; {{ rounded(f.needed_pace) }} a working day meet every day below that is still ahead</template
          ></span
        >
      </p>
      <div v-if="f.deadlines.length" class="overflow-x-auto">
        <table class="w-full min-w-[36rem] text-left text-sm">
          <thead class="text-soft">
            <tr>
              <th scope="col" class="py-1 pr-3 font-normal">Support ends</th>
              <th scope="col" class="py-1 pr-3 text-right font-normal">Machines</th>
              <th scope="col" class="py-1 pr-3 text-right font-normal">Due by then</th>
              <th scope="col" class="py-1 pr-3 text-right font-normal">In time</th>
              <th scope="col" class="py-1 pr-3 text-right font-normal">Working days left</th>
              <th scope="col" class="py-1 pr-3 text-right font-normal">Needed a day</th>
              <th scope="col" class="py-1 font-normal">Start by</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="d in f.deadlines" :key="d.day" class="border-t border-line/60">
              <th scope="row" class="py-1 pr-3 font-normal whitespace-nowrap">{{ sayDay(d.day) }}</th>
              <td class="py-1 pr-3 text-right">{{ number(d.machines) }}</td>
              <td class="py-1 pr-3 text-right">{{ number(d.due) }}</td>
              <td class="py-1 pr-3 text-right" :class="d.in_time < d.due ? 'font-semibold text-replace' : ''">
                {{ number(d.in_time) }}
              </td>
              <td class="py-1 pr-3 text-right">{{ number(d.working_days) }}</td>
              <td class="py-1 pr-3 text-right">{{ d.needed_pace ? rounded(d.needed_pace) : '' }}</td>
              <td class="py-1 whitespace-nowrap" :class="d.latest_start ? '' : 'text-replace'">
                {{ d.latest_start ? sayDay(d.latest_start) : 'too late at this pace' }}
              </td>
            </tr>
          </tbody>
        </table>
      </div>
      <p v-else class="text-sm text-soft">No end of support is known for what these machines run.</p>
    </template>
  </section>
</template>
