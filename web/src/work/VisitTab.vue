<script setup lang="ts">
import AppButton from '../ui/AppButton.vue'
import { Disclosure, DisclosureButton, DisclosurePanel } from '@headlessui/vue'
import { computed, ref } from 'vue'

import { api, ask, type Schemas } from '../client'
import DispositionMark from '../ui/DispositionMark.vue'
import { count, hours, number, sayDay } from '../words'
import MessageList from './MessageList.vue'
import VisitAssign from './VisitAssign.vue'
import VisitWeek from './VisitWeek.vue'
import { useAction } from '../use/useAction'

const props = defineProps<{ work: Schemas['Work']; may: boolean }>()
const emit = defineEmits<{ changed: [] }>()
const chosen = ref(new Set<string>())
const { busy, says, trouble, run: act } = useAction()
const stops = computed(() => props.work.stops)
const sheet = (stop: Schemas['Stop']) => `/api/v1/work/sheet?${new URLSearchParams({ where: stop.where })}`
function choose(key: string, yes: boolean) {
  const next = new Set(chosen.value)
  if (yes) next.add(key)
  else next.delete(key)
  chosen.value = next
}
function chooseAll(stop: Schemas['Stop'], yes: boolean) {
  for (const v of stop.visits) choose(v.key, yes)
}
const allOf = (stop: Schemas['Stop']) => stop.visits.every((v) => chosen.value.has(v.key))
async function run(f: () => Promise<string>) {
  if (await act(f)) emit('changed')
}
const tick = (v: Schemas['Visit'], step: Schemas['StepRef']) =>
  run(async () => {
    await ask(
      api.PUT('/machines/{key}/ticks/{kind}/{item}', {
        params: { path: { key: v.key, kind: 'step', item: step.step } },
        body: { state: 'done' },
      }),
    )
    return `${v.name}: “${step.title}” marked as done. The next inventory confirms it or reopens it.`
  })
</script>

<template>
  <p v-if="stops.length === 0" class="text-soft">
    No visits. The remaining work is done remotely or waits for an answer.
  </p>
  <template v-else>
    <p class="mb-3 max-w-[75ch]">
      {{ count(work.visits, 'visit', 'visits') }} at {{ count(stops.length, 'site', 'sites') }}, about
      {{ hours(work.minutes) }} at the desks. All firmware settings of a machine are one visit.
    </p>
    <VisitAssign v-if="may" :keys="[...chosen]" @changed="emit('changed')" @done="chosen = new Set()" />
    <p v-if="says" role="status" class="mb-2 text-sm text-ready">{{ says }}</p>
    <p v-if="trouble" role="alert" class="mb-2 text-sm text-replace">{{ trouble }}</p>
    <VisitWeek :work="work" />
    <Disclosure
      v-for="(s, i) in stops"
      :key="s.site"
      v-slot="{ open }"
      as="section"
      class="border-b border-line/60"
      :default-open="i === 0 && stops.length < 12"
      :data-site="s.site"
    >
      <h2>
        <DisclosureButton class="flex w-full cursor-pointer flex-wrap items-baseline gap-x-3 py-2 text-left">
          <span aria-hidden="true" class="text-soft">{{ open ? '▾' : '▸' }}</span>
          <span class="w-40 font-semibold">{{ s.site || 'No site' }}</span>
          <span class="w-24">{{ count(s.machines, 'visit', 'visits') }}</span>
          <span class="w-32 text-soft">{{ hours(s.minutes) }}</span>
          <span v-if="s.parts" class="text-soft">{{ number(s.parts) }} with parts</span>
          <span v-if="s.waiting" class="text-soft">{{ number(s.waiting) }} postponed</span>
        </DisclosureButton>
      </h2>
      <DisclosurePanel>
        <p class="no-print mb-2 flex flex-wrap gap-x-4 pl-6 text-sm leading-6">
          <a :href="sheet(s)" target="_blank" class="text-accent underline underline-offset-2"
            >Print visit sheet</a
          >
          <MessageList :where="s.where" />
          <RouterLink
            :to="{ name: 'machines', query: { where: `${s.where} disposition=reconfigure,refit` } }"
            class="text-accent underline underline-offset-2"
            >As a list of machines</RouterLink
          >
        </p>
        <div class="overflow-x-auto">
          <table class="mb-3 w-full min-w-[42rem] text-left text-sm">
            <thead class="text-soft">
              <tr>
                <th v-if="may" scope="col" class="w-7 py-1 pl-1">
                  <input
                    type="checkbox"
                    class="size-4"
                    :checked="allOf(s)"
                    :aria-label="`All visits at ${s.site}`"
                    @change="chooseAll(s, ($event.target as HTMLInputElement).checked)"
                  />
                </th>
                <th scope="col" class="py-1 pr-3 font-normal">Machine</th>
                <th scope="col" class="py-1 pr-3 font-normal">Steps</th>
                <th scope="col" class="py-1 pr-3 font-normal">Time</th>
                <th scope="col" class="py-1 font-normal">Who</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="v in s.visits" :key="v.key" class="border-t border-line/60 align-baseline">
                <td v-if="may" class="py-1.5 pl-1">
                  <input
                    type="checkbox"
                    class="size-4"
                    :checked="chosen.has(v.key)"
                    :aria-label="`Select ${v.name}`"
                    @change="choose(v.key, ($event.target as HTMLInputElement).checked)"
                  />
                </td>
                <th scope="row" class="py-1.5 pr-3 font-normal whitespace-nowrap">
                  <RouterLink
                    :to="{ name: 'machine', params: { machine: v.key } }"
                    class="font-semibold underline-offset-2 hover:underline"
                    >{{ v.name }}</RouterLink
                  >
                  <span class="block text-[13px] text-soft">{{ v.model }}</span>
                </th>
                <td class="py-1.5 pr-3">
                  <p v-for="q in v.before" :key="q.step" class="text-replace">First: {{ q.title }}</p>
                  <ul>
                    <li v-for="st in v.steps" :key="st.step" class="flex flex-wrap items-baseline gap-x-2">
                      {{ st.title }}
                      <span v-if="v.ticked?.includes(st.title)" class="text-[13px] text-ready">✓ ticked</span>
                      <AppButton
                        v-else-if="may"
                        kind="link"
                        small
                        :aria-label="`Mark as done on ${v.name}: ${st.title}`"
                        :disabled="busy"
                        class="no-print"
                        @click="tick(v, st)"
                      >
                        Done
                      </AppButton>
                    </li>
                  </ul>
                </td>
                <td class="py-1.5 pr-3 whitespace-nowrap">
                  {{ hours(v.minutes) }}
                  <span class="block text-[13px]"><DispositionMark :of="v.disposition" /></span>
                </td>
                <td class="py-1.5">
                  {{ v.who }}
                  <span v-if="v.day" class="block text-[13px]"
                    >{{ sayDay(v.day)
                    }}{{ v.half ? (v.half === 'am' ? ', morning' : ', afternoon') : '' }}</span
                  >
                  <span v-if="v.note" class="block text-[13px] text-soft">{{ v.note }}</span>
                  <span v-if="v.not_before" class="block text-[13px] text-refit"
                    >not before {{ sayDay(v.not_before) }}</span
                  >
                </td>
              </tr>
            </tbody>
          </table>
        </div>
        <p v-if="s.machines > s.visits.length" class="mb-3 pl-6 text-sm text-soft">
          The first {{ s.visits.length }} of {{ number(s.machines) }} are shown; narrow them by a filter.
        </p>
      </DisclosurePanel>
    </Disclosure>
  </template>
</template>
