<script setup lang="ts">
import { Disclosure, DisclosureButton, DisclosurePanel } from '@headlessui/vue'
import { computed } from 'vue'

import type { Schemas } from '../client'
import FindingItem from './FindingItem.vue'

/** What fails, what is not known, what is only advised, what is waived; and what is met. */
const props = defineProps<{ check: Schemas['AssessDocument'] }>()
const findings = computed(() => props.check.findings)
const of = (level: string, outcome: string) =>
  findings.value.filter((f) => f.level === level && f.outcome === outcome)
const fails = computed(() => of('must', 'fail'))
const unknowns = computed(() => of('must', 'unknown'))
const advice = computed(() => of('should', 'fail'))
const waived = computed(() => findings.value.filter((f) => f.outcome === 'waived'))
const rest = computed(() => {
  const shown = new Set([...waived.value, ...fails.value, ...unknowns.value, ...advice.value])
  return findings.value.filter((f) => !shown.has(f) && !(f.interim && f.outcome === 'not-applicable'))
})
const passes = computed(() => rest.value.filter((f) => f.outcome === 'pass').map((f) => f.title))
</script>

<template>
  <section v-if="fails.length" aria-labelledby="fails" class="mb-7">
    <h2 id="fails" class="border-b border-line pb-1.5 font-semibold">
      {{ check.counts.fail }} of {{ check.counts.musts }} requirements
      {{ check.counts.fail === 1 ? 'is' : 'are' }} not met
    </h2>
    <ul>
      <FindingItem v-for="f in fails" :key="f.requirement" :finding="f" />
    </ul>
  </section>
  <section v-if="unknowns.length" aria-labelledby="unknowns" class="mb-7">
    <h2 id="unknowns" class="border-b border-line pb-1.5 font-semibold">
      {{ unknowns.length }} of {{ check.counts.musts }} {{ unknowns.length === 1 ? 'is' : 'are' }} unknown
    </h2>
    <ul>
      <FindingItem v-for="f in unknowns" :key="f.requirement" :finding="f" />
    </ul>
  </section>
  <section v-if="advice.length" aria-labelledby="advice" class="mb-7">
    <h2 id="advice" class="border-b border-line pb-1.5 font-semibold">Recommendations not met</h2>
    <ul>
      <FindingItem v-for="f in advice" :key="f.requirement" :finding="f" />
    </ul>
  </section>
  <section v-if="waived.length" aria-labelledby="waived" class="mb-7">
    <h2 id="waived" class="border-b border-line pb-1.5 font-semibold">Not met, waived</h2>
    <ul>
      <FindingItem v-for="f in waived" :key="f.requirement" :finding="f" />
    </ul>
  </section>
  <Disclosure v-slot="{ open }">
    <DisclosureButton class="cursor-pointer text-left text-soft hover:text-ink">
      <span aria-hidden="true">{{ open ? '▾' : '▸' }}</span>
      {{ check.counts.pass }} of {{ check.counts.musts }} requirements are met<template
        v-if="passes.length && !open"
        >: {{ passes.slice(0, 6).join(', ') }}{{ passes.length > 6 ? ' …' : '' }}</template
      >
    </DisclosureButton>
    <DisclosurePanel>
      <ul>
        <FindingItem v-for="f in rest" :key="f.requirement" :finding="f" />
      </ul>
    </DisclosurePanel>
  </Disclosure>
</template>
