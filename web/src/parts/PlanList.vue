<script setup lang="ts">
import { Disclosure, DisclosureButton, DisclosurePanel } from '@headlessui/vue'
import { computed } from 'vue'

import type { Schemas } from '../client'

const props = defineProps<{ plan: Schemas['AssessStep'][] }>()
const names: Record<string, string> = {
  remote: 'Without a visit',
  desk: 'One visit',
  host: 'At the host of the virtual machine',
  install: 'The installation',
}
// Steps in their order, under a heading wherever the place of work changes.
const groups = computed(() => {
  const out: { phase: string; steps: Schemas['AssessStep'][] }[] = []
  for (const s of props.plan) {
    if (out.at(-1)?.phase !== s.phase) out.push({ phase: s.phase, steps: [] })
    out.at(-1)?.steps.push(s)
  }
  return out
})
const minutes = (steps: Schemas['AssessStep'][]) => {
  const least = steps.reduce((n, s) => n + s.minutes.least, 0)
  const most = steps.reduce((n, s) => n + s.minutes.most, 0)
  return most ? `, ${least} to ${most} min` : ''
}
</script>

<template>
  <div v-for="(g, i) in groups" :key="i">
    <p class="mb-2 text-[13px] text-soft">{{ names[g.phase] }}{{ minutes(g.steps) }}</p>
    <ol>
      <li v-for="s in g.steps" :key="s.step" class="group relative pb-4 pl-9" :data-step="s.step">
        <span
          class="absolute top-0 left-0 grid size-[23px] place-items-center rounded-md border-[1.5px] border-accent bg-card text-[13px] font-semibold text-accent"
          >{{ s.number }}</span
        >
        <span
          class="absolute top-6 bottom-0 left-[11px] border-l-[1.5px] border-line group-last:hidden"
          aria-hidden="true"
        />
        <p class="font-semibold">{{ s.title }}</p>
        <p v-if="s.caution" class="text-sm text-replace">{{ s.caution }}</p>
        <Disclosure>
          <DisclosureButton class="cursor-pointer text-[13px] text-accent underline underline-offset-2"
            >What to do</DisclosureButton
          >
          <DisclosurePanel class="mt-1 text-sm text-soft">
            <p>{{ s.do }}</p>
            <p class="mt-1"><b>Done when:</b> {{ s.confirm }}</p>
            <p class="mt-1"><b>For its user:</b> {{ s.tell }}</p>
          </DisclosurePanel>
        </Disclosure>
      </li>
    </ol>
  </div>
</template>
