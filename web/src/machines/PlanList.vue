<script setup lang="ts">
import { Disclosure, DisclosureButton, DisclosurePanel } from '@headlessui/vue'
import { computed } from 'vue'

import type { Schemas } from '../client'
import TickBox from './TickBox.vue'

const props = defineProps<{ check: Schemas['AssessDocument']; machine: string; may: boolean }>()
const emit = defineEmits<{ said: [] }>()
const names: Record<string, string> = {
  remote: 'Remotely',
  desk: 'Visit',
  host: 'On the host of the virtual machine',
  install: 'Installation',
}
// Steps in their order, under a heading wherever the place of work changes.
const groups = computed(() => {
  const out: { phase: string; steps: Schemas['AssessStep'][] }[] = []
  for (const s of props.check.plan) {
    if (out.at(-1)?.phase !== s.phase) out.push({ phase: s.phase, steps: [] })
    out.at(-1)?.steps.push(s)
  }
  return out
})
const span = (m: { least: number; most: number }) =>
  m.most ? (m.least === m.most ? `${m.most} min` : `${m.least} to ${m.most} min`) : ''
const restarts = (n: number) => (n ? `${n} restart${n > 1 ? 's' : ''}` : '')
const takes = (steps: Schemas['AssessStep'][]) => {
  const sum = (f: (s: Schemas['AssessStep']) => number) => steps.reduce((n, s) => n + f(s), 0)
  const parts = [
    span({ least: sum((s) => s.minutes.least), most: sum((s) => s.minutes.most) }),
    restarts(sum((s) => s.restarts)),
  ].filter(Boolean)
  return parts.length ? `: ${parts.join(', ')}` : ''
}
const who = (s: Schemas['AssessStep']) =>
  [s.by, span(s.minutes), restarts(s.restarts), s.worst].filter(Boolean).join(' · ')
/** The steps that it waits for, where that is not plainly the one above it. */
const waits = (s: Schemas['AssessStep']) => {
  const after = s.after ?? []
  if (!after.length || (after.length === 1 && after[0] === s.number - 1)) return ''
  return `after ${after.join(', ')}`
}
const total = computed(() => {
  const e = props.check.effort
  return [
    span(e.minutes),
    restarts(e.restarts),
    e.parts ? `${e.parts} part${e.parts > 1 ? 's' : ''}` : '',
    e.cost?.says ?? '',
  ]
    .filter(Boolean)
    .join(', ')
})
</script>

<template>
  <p v-if="check.firmware" class="mb-3 text-[13px] text-soft">
    <b class="text-ink">{{ check.firmware.title }}.</b> {{ check.firmware.says }}
    <template v-if="check.firmware.source">({{ check.firmware.source }})</template>
  </p>
  <p v-for="s in check.when?.says" :key="s" class="mb-1">{{ s }}</p>
  <div v-for="(g, i) in groups" :key="i">
    <p v-if="g.steps[0]?.step !== 'replace'" class="mb-2 text-[13px] text-soft">
      {{ names[g.phase] }}{{ takes(g.steps) }}
    </p>
    <ol>
      <li v-for="s in g.steps" :key="s.step" class="group relative pb-4 pl-9" :data-step="s.step">
        <span
          class="step-number absolute top-0 left-0 grid place-items-center font-semibold"
          :class="
            s.ticked?.state === 'done' && !s.ticked.without_effect
              ? 'border-ready bg-ready text-card'
              : 'border-accent bg-card text-accent'
          "
          >{{ s.number }}</span
        >
        <span
          class="absolute top-6 bottom-0 left-[11px] border-l-[1.5px] border-line group-last:hidden"
          aria-hidden="true"
        />
        <p class="font-semibold">
          {{ s.title }}
          <span v-if="waits(s)" class="text-[13px] font-normal text-soft">{{ waits(s) }}</span>
        </p>
        <p class="text-[13px] text-soft">{{ who(s) }}</p>
        <p v-for="c in s.cautions" :key="c" class="text-sm text-replace">{{ c }}</p>
        <p v-if="s.where" class="text-sm">
          <b>{{ s.where.says }}</b> {{ s.where.parent }} {{ s.where.note }}
        </p>
        <p v-for="p in s.parts" :key="p.says" class="text-sm">
          To bring: <b>{{ p.says }}</b><template v-if="p.cost"> ({{ p.cost }})</template>
        </p>
        <Disclosure v-slot="{ open }">
          <div class="flex flex-wrap items-baseline gap-x-4">
            <DisclosureButton class="cursor-pointer text-[13px] text-accent underline underline-offset-2">{{
              open ? 'Less' : 'What to do'
            }}</DisclosureButton>
            <TickBox
              v-if="s.step !== 'replace'"
              :machine="machine"
              kind="step"
              :item="s.step"
              :title="s.title"
              :ticked="s.ticked"
              :may="may"
              @said="emit('said')"
            />
          </div>
          <DisclosurePanel class="mt-1 space-y-1 text-sm text-soft">
            <p>{{ s.do }}</p>
            <p><b>Done when:</b> {{ s.confirm }}</p>
            <p v-if="s.back"><b>To undo:</b> {{ s.back }}</p>
            <p><b>For its user:</b> {{ s.tell }}</p>
            <template v-if="s.otherwise?.length">
              <p><b>If it has no effect,</b> the likeliest first:</p>
              <ol class="list-decimal pl-5">
                <li v-for="o in s.otherwise" :key="o">{{ o }}</li>
              </ol>
            </template>
            <p v-for="a in s.instead" :key="a.step"><b>Alternative:</b> {{ a.title }}. {{ a.says }}</p>
          </DisclosurePanel>
        </Disclosure>
      </li>
    </ol>
  </div>
  <p v-if="total && check.plan.length > 1" class="border-t border-line pt-2"><b>Total:</b> {{ total }}.</p>
  <p v-if="check.bring?.length" class="mt-2 text-sm"><b>To bring:</b> {{ check.bring.join('; ') }}.</p>
  <p v-if="check.withheld" class="mt-2 text-sm text-soft">
    Left out: {{ check.withheld.titles.map((t) => t.charAt(0).toLowerCase() + t.slice(1)).join('; ') }}.
    {{ check.withheld.says }}
  </p>
  <p v-if="check.conversion" class="mt-2 text-sm text-soft">{{ check.conversion.says }}</p>
  <p v-if="check.stay" class="mt-2 text-sm text-soft">{{ check.stay }}</p>
  <section v-if="check.further?.length" class="mt-5" aria-labelledby="further">
    <h3 id="further" class="mb-2 font-semibold">
      Further work before the upgrade: the disposition does not depend on it
    </h3>
    <ul class="space-y-2">
      <li
        v-for="s in check.further"
        :key="s.step"
        class="border-l-[1.5px] border-line pl-3"
        :data-further="s.step"
      >
        <p>
          <span class="font-semibold">{{ s.title }}</span>
          <span class="text-sm text-soft"> · {{ s.weighs }}</span>
        </p>
        <p v-for="c in s.cautions" :key="c" class="text-sm text-replace">{{ c }}</p>
        <p class="text-sm text-soft">{{ s.do }}</p>
        <TickBox
          :machine="machine"
          kind="step"
          :item="s.step"
          :title="s.title"
          :ticked="s.ticked"
          :may="may"
          @said="emit('said')"
        />
      </li>
    </ul>
  </section>
  <section v-if="check.ends?.length" class="mt-5" aria-labelledby="ends">
    <h3 id="ends" class="mb-2 font-semibold">What ends with the upgrade</h3>
    <ul class="list-disc space-y-1 pl-5 text-sm">
      <li v-for="e in check.ends" :key="e.id">{{ e.says }}</li>
    </ul>
  </section>
</template>
