<script setup lang="ts">
import { useQuery } from '@pinia/colada'
import { computed } from 'vue'

import { queries } from '../queries'
import FleetAnswers from './FleetAnswers.vue'
import DispositionStrip from './DispositionStrip.vue'
import TroubleBox from '../ui/TroubleBox.vue'
import GroupList from './GroupList.vue'
import ObstacleList from './ObstacleList.vue'
import ProgressChart from './ProgressChart.vue'
import UrgencyList from './UrgencyList.vue'
import { number, sayDay } from '../words'

const { data: fleet, error, refetch } = useQuery({ ...queries.fleet(), staleTime: 10_000 })
const progress = useQuery(queries.progress(90))
const changes = useQuery(queries.ruleChanges())
/** Other rules that came in force lately and changed machines. */
const lately = computed(() =>
  (changes.data.value?.changes ?? [])
    .filter((c) => c.moved > 0 && Date.now() - Date.parse(c.at) < 14 * 86_400_000)
    .slice(0, 2),
)
const days = computed(() => progress.data.value?.days ?? [])
const classNames: Record<string, string> = { pc: 'PCs', mac: 'Macs' }
const className = (c: string) => classNames[c] ?? c
/** What follows, where some that are ready now are not ready for it. */
const next = computed(() => (fleet.value?.next ?? []).filter((n) => n.newly.count > 0))
// Under the headline: the end of support that most machines wait for.
const pressing = computed(
  () => [...(fleet.value?.support ?? [])].sort((a, b) => b.machines - a.machines)[0]?.says,
)
const list = (where: string) => ({ name: 'machines', query: { where } })
</script>

<template>
  <TroubleBox v-if="error" :error="error" @again="refetch()" />
  <p v-else-if="!fleet" role="status" class="text-soft">Counting machines…</p>
  <section v-else-if="fleet.total === 0" class="max-w-2xl">
    <h1 class="text-[27px] leading-tight font-semibold">{{ fleet.headline }}</h1>
    <p class="mt-2 text-soft">
      Add a release document, choose it as the target, and submit the first inventory:
    </p>
    <pre class="card mt-3 overflow-x-auto p-4 text-sm">
rolltop releases add FILE
rolltop releases target --pc ID
rolltop submit</pre>
  </section>
  <template v-else>
    <h1 class="mb-1 text-[27px] leading-tight font-semibold tracking-tight">{{ fleet.headline }}</h1>
    <p class="mb-1 text-soft">{{ pressing }}</p>
    <p class="mb-5 flex flex-wrap gap-x-5 gap-y-1.5 text-sm text-soft">
      <RouterLink v-if="fleet.stale.count" :to="list(fleet.stale.where)" class="link"
        >{{
          fleet.stale.count === 1 ? 'One machine is' : `${fleet.stale.count} machines are`
        }}
        overdue</RouterLink
      >
      <RouterLink v-if="fleet.waived.count" :to="list(fleet.waived.where)" class="link"
        >{{ number(fleet.waived.count) }} ready with a waiver</RouterLink
      >
      <RouterLink v-if="fleet.unsupported.count" :to="list(fleet.unsupported.where)" class="link"
        >{{ number(fleet.unsupported.count) }} unsupported
        {{ fleet.unsupported.count === 1 ? 'installation' : 'installations' }}</RouterLink
      >
      <RouterLink v-if="fleet.duplicates.count" :to="list(fleet.duplicates.where)" class="link">{{
        fleet.duplicates.count === 1
          ? 'One possible duplicate'
          : `${fleet.duplicates.count} possible duplicates`
      }}</RouterLink>
      <RouterLink v-for="n in next" :key="n.release" :to="list(n.newly.where)" class="link"
        >{{ number(n.newly.count) }} ready machines do not meet the next release, {{ n.release }}</RouterLink
      >
      <RouterLink :to="{ name: 'matrix' }" class="link">Requirement matrix</RouterLink>
      <a href="/api/v1/fleet/report" target="_blank" class="link">Report</a>
      <a href="/api/v1/fleet/briefing/page" target="_blank" class="link">Briefing</a>
    </p>
    <p v-for="c in lately" :key="c.id" class="-mt-3 mb-5 border-l-2 border-accent pl-3 text-sm">
      <RouterLink :to="{ name: 'rule-change', params: { change: c.id } }" class="link">{{
        c.says
      }}</RouterLink>
      <span class="text-soft"> In force since {{ sayDay(c.at) }}.</span>
    </p>
    <DispositionStrip :counts="fleet.dispositions" />
    <p v-if="fleet.unjudged" class="mb-5 text-soft">
      <RouterLink
        :to="list('judged=no')"
        class="font-semibold text-accent underline-offset-2 hover:underline"
      >
        {{ fleet.unjudged }} more</RouterLink
      >
      are not checked: no target release is set for their class of hardware.
    </p>

    <div class="grid gap-x-9 gap-y-8 lg:grid-cols-[7fr_5fr]">
      <ObstacleList :fleet="fleet" />

      <div>
        <section v-if="fleet.urgency.length" aria-labelledby="urgency" class="mb-8">
          <h2 id="urgency" class="mb-2 border-b border-line pb-1.5 font-semibold">
            Support of what machines run
          </h2>
          <UrgencyList :bands="fleet.urgency" />
        </section>
        <section v-if="days.length > 1" aria-labelledby="progress" class="mb-8">
          <h2 id="progress" class="mb-2 border-b border-line pb-1.5 font-semibold">Progress</h2>
          <ProgressChart :days="days" />
        </section>
        <FleetAnswers class="mb-8" />
        <section v-if="fleet.sites.length" aria-labelledby="sites">
          <h2 id="sites" class="mb-2 border-b border-line pb-1.5 font-semibold">By site</h2>
          <GroupList
            :groups="fleet.sites"
            :name="(site) => site"
            :says="(p) => `${p.total} machines at ${p.site}`"
            scaled
          />
        </section>
        <section v-if="fleet.classes.length > 1" aria-labelledby="classes" class="mt-8">
          <h2 id="classes" class="mb-2 border-b border-line pb-1.5 font-semibold">By class of hardware</h2>
          <GroupList
            :groups="fleet.classes"
            :name="className"
            :says="(c) => `${c.total} ${className(c.site)}`"
          />
        </section>
        <section v-if="fleet.causes.length" aria-labelledby="causes" class="mt-8">
          <h2 id="causes" class="mb-2 border-b border-line pb-1.5 font-semibold">Why undetermined</h2>
          <ul>
            <li v-for="c in fleet.causes" :key="c.name" class="grid grid-cols-[1fr_3.4rem] gap-x-3 py-1">
              <RouterLink :to="list(c.where)" class="underline-offset-2 hover:underline">{{
                c.says
              }}</RouterLink>
              <RouterLink
                :to="list(c.where)"
                class="text-right font-semibold underline-offset-2 hover:underline"
                :aria-label="`${c.count} machines: ${c.says}`"
                >{{ number(c.count) }}</RouterLink
              >
            </li>
          </ul>
        </section>
        <section v-if="fleet.support.length" aria-labelledby="support" class="mt-8">
          <h2 id="support" class="mb-2 border-b border-line pb-1.5 font-semibold">
            End of support of installed releases
          </h2>
          <ul>
            <li
              v-for="s in fleet.support"
              :key="s.release + s.edition + s.ends"
              class="grid grid-cols-[minmax(0,9.5rem)_1fr_3.4rem] gap-x-3 py-1"
            >
              <RouterLink :to="list(s.where)" class="underline-offset-2 hover:underline">{{
                s.edition ? `${s.release} ${s.edition}` : s.release
              }}</RouterLink>
              <span :class="s.days < 60 ? 'font-semibold' : 'text-soft'">
                {{ s.days < 0 ? 'ended' : 'until' }} {{ sayDay(s.ends)
                }}<template v-if="s.days >= 0">, {{ s.days }} days</template>
              </span>
              <RouterLink
                :to="list(s.where)"
                class="text-right font-semibold underline-offset-2 hover:underline"
                :aria-label="`${s.machines}: ${s.says}`"
                >{{ number(s.machines) }}</RouterLink
              >
            </li>
          </ul>
        </section>
      </div>
    </div>
  </template>
</template>
