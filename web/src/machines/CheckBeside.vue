<script setup lang="ts">
import { Disclosure, DisclosureButton, DisclosurePanel } from '@headlessui/vue'
import { computed } from 'vue'

import type { Schemas } from '../client'
import { capital } from '../words'
import TickBox from './TickBox.vue'

/** What stands beside the disposition and is never mixed into it. */
const props = defineProps<{ check: Schemas['AssessDocument']; machine: string; may: boolean }>()
const emit = defineEmits<{ said: [] }>()
const known = computed(() =>
  [
    { title: 'Applications', rows: props.check.software ?? [] },
    { title: 'Drivers', rows: props.check.drivers ?? [] },
  ].filter((g) => g.rows.length > 0),
)
const states: Record<string, string> = {
  done: 'done',
  'not-done': 'not done',
  'not-known': 'unknown',
  'by-hand': 'confirmed by a person',
  'not-needed': 'not needed',
  refused: 'refused',
}
/** Where the release is there already, or does not come, there is no way to it. */
const comes = computed(() => !['done', 'replace'].includes(props.check.disposition))
const rows = computed(() => {
  const c = props.check
  return [
    {
      label: 'Route',
      says: comes.value && [
        c.route.says,
        c.other_route &&
          `Or: ${c.other_route.says} ${capital(c.other_route.disposition)}: ${c.other_route.answer}`,
      ],
    },
    {
      label: 'Edition and package',
      says: comes.value && [...(c.hops ?? []).map((h) => h.says), c.delivery?.says],
      sum: comes.value ? c.delivery?.sha256 : undefined,
    },
    {
      label: 'Support',
      says: [c.support?.text, c.support?.says],
    },
    { label: 'Offer', says: [c.offer?.says] },
    { label: 'Hold', says: [c.hold] },
    { label: 'TPM', says: [c.tpm?.says] },
  ]
    .map((r) => ({ sum: undefined, ...r, says: (r.says || []).filter(Boolean).join(' ') }))
    .filter((r) => r.says)
})
</script>

<template>
  <section aria-label="Beside the requirements" class="mt-9 grid gap-y-6">
    <div>
      <h2 class="mb-2 border-b border-line pb-1.5 font-semibold">
        {{ comes ? 'Route to the target' : 'More about this machine' }}
      </h2>
      <dl class="text-[14px]">
        <div v-for="r in rows" :key="r.label" class="grid grid-cols-[8.5rem_1fr] gap-3 py-1">
          <dt class="text-soft">{{ r.label }}</dt>
          <dd class="wrap-anywhere">
            {{ r.says }}
            <code v-if="r.sum" class="block text-[12px] text-soft">SHA-256 {{ r.sum }}</code>
          </dd>
        </div>
      </dl>
    </div>
    <div>
      <template v-for="g in known" :key="g.title">
        <h2 class="mb-2 border-b border-line pb-1.5 font-semibold">{{ g.title }}</h2>
        <ul class="mb-5 text-[14px]">
          <li v-for="k in g.rows" :key="k.name + k.version" class="grid grid-cols-[10rem_1fr] gap-3 py-0.5">
            <span>{{ k.name }} {{ k.version }}</span>
            <span
              ><component :is="k.is === 'fine' ? 'span' : 'b'">{{ k.says }}</component
              ><span v-if="k.note" class="text-soft">. {{ k.note }}</span
              ><span v-if="k.terms" class="block text-soft">{{ k.terms }}</span></span
            >
          </li>
        </ul>
      </template>
      <Disclosure
        v-if="check.preparation?.length"
        v-slot="{ open }"
        :default-open="check.disposition !== 'replace'"
      >
        <h2 class="mb-1 border-b border-line pb-1.5 font-semibold">
          <DisclosureButton class="cursor-pointer"
            ><span aria-hidden="true" class="text-soft">{{ open ? '▾' : '▸' }}</span> Before the
            upgrade</DisclosureButton
          >
        </h2>
        <DisclosurePanel>
          <ul class="text-[14px]">
            <li v-for="p in check.preparation" :key="p.id" class="grid grid-cols-[1fr_8.5rem] gap-3 py-1">
              <div>
                {{ p.title }}
                <span v-if="p.state !== 'by-hand' && !p.ticked" class="block text-soft">{{ p.says }}</span>
                <TickBox
                  v-if="p.ticked || !['done', 'not-needed'].includes(p.state)"
                  :machine="machine"
                  kind="prepare"
                  :item="p.id"
                  :title="p.title"
                  :ticked="p.ticked"
                  :may="may"
                  @said="emit('said')"
                />
              </div>
              <b v-if="p.state === 'not-done' || p.state === 'refused'">{{ states[p.state] }}</b>
              <span v-else class="text-soft">{{ states[p.state] }}</span>
            </li>
          </ul>
        </DisclosurePanel>
      </Disclosure>
    </div>
  </section>
</template>
