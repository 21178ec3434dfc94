<script setup lang="ts">
import { useQuery } from '@pinia/colada'
import { computed } from 'vue'

import type { Schemas } from '../client'
import { queries } from '../queries'
import { count, sayDay } from '../words'

/** The days that have visits: who goes where, and how much of the day is booked. Each day is a round with a cover. */
const props = defineProps<{ work: Schemas['Work'] }>()
const { data } = useQuery(() => queries.technicians())
const visits = computed(() => props.work.stops.flatMap((s) => s.visits))
const days = computed(() => [...new Set(visits.value.map((v) => v.day ?? '').filter(Boolean))].sort())
/** Who has visits on these days, known technicians first. */
const people = computed(() => {
  const known = data.value?.technicians.map((t) => t.name) ?? []
  const others = visits.value.filter((v) => v.day && v.who && !known.includes(v.who)).map((v) => v.who!)
  return [...new Set([...known, ...others])]
})
const of = (who: string, day: string) => visits.value.filter((v) => v.day === day && v.who === who)
const room = (who: string) => data.value?.technicians.find((t) => t.name === who)?.minutes
/** How much of a day is booked, for whoever sees all of it. */
const booked = (who: string, day: string) =>
  data.value?.technicians.find((t) => t.name === who)?.booked.find((b) => b.day === day)?.minutes
const within = (term: string) => [props.work.where, term].filter(Boolean).join(' ')
const round = (term: string) => `/api/v1/work/sheet?${new URLSearchParams({ where: within(term) })}`
const calendar = computed(
  () => `/api/v1/work/calendar?${new URLSearchParams({ where: props.work.where ?? '' })}`,
)
const sites = (list: Schemas['Visit'][]) => [...new Set(list.map((v) => v.site))].join(', ')
const term = (who: string, day: string) => `visit=${day} assigned="${who}"`
</script>

<template>
  <section v-if="days.length" aria-labelledby="week" class="mb-5 text-sm">
    <h2 id="week" class="mb-1 flex flex-wrap items-baseline gap-x-4 font-semibold">
      Days with visits
      <a :href="calendar" download="visits.ics" class="link font-normal">Calendar file</a>
    </h2>
    <div class="overflow-x-auto">
      <table class="w-full min-w-[36rem] text-left">
        <thead class="text-soft">
          <tr>
            <th scope="col" class="py-1 pr-4 font-normal">Technician</th>
            <th v-for="d in days" :key="d" scope="col" class="py-1 pr-4 font-normal">
              <RouterLink
                :to="{ name: 'work', query: { tab: 'visits', where: within(`visit=${d}`) } }"
                class="underline-offset-2 hover:underline"
                >{{ sayDay(d) }}</RouterLink
              >
            </th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="who in people" :key="who" class="border-t border-line/60 align-baseline">
            <th scope="row" class="py-1.5 pr-4 font-normal">
              {{ who }}
              <span v-if="room(who)" class="block text-[13px] text-soft">{{ room(who) }} minutes a day</span>
            </th>
            <td v-for="d in days" :key="d" class="py-1.5 pr-4">
              <template v-if="of(who, d).length">
                <RouterLink
                  :to="{ name: 'work', query: { tab: 'visits', where: within(term(who, d)) } }"
                  class="font-semibold underline-offset-2 hover:underline"
                  >{{ count(of(who, d).length, 'visit', 'visits') }}</RouterLink>, {{ sites(of(who, d)) }}
                <span class="block text-[13px] text-soft"
                  >up to {{ booked(who, d) ?? '?' }} minutes ·
                  <a
                    :href="round(term(who, d))"
                    target="_blank"
                    class="underline underline-offset-2"
                    :aria-label="`Cover page of ${who}, ${sayDay(d)}`"
                    >cover page</a
                  ></span
                >
              </template>
            </td>
          </tr>
        </tbody>
      </table>
    </div>
  </section>
</template>
