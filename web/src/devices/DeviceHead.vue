<script setup lang="ts">
import { computed } from 'vue'

import type { Schemas } from '../client'
import { sayDay } from '../words'
import DoubtList from './DoubtList.vue'
import VisitLink from './VisitLink.vue'

/** Which machine this is, the papers that are made of it, and where it stands in the work. */
const props = defineProps<{ device: Schemas['Device']; may: boolean }>()
const emit = defineEmits<{ changed: [] }>()
const visited = computed(() => props.device.check?.plan.some((s) => s.phase === 'desk') ?? false)
const reports = [
  { name: 'Report', query: '' },
  { name: 'Page for its user', query: '?for=user' },
  { name: 'Ticket text', query: '?format=markdown' },
]
const reportAddress = (query: string) => `/api/devices/${encodeURIComponent(props.device.key)}/report${query}`
const about = computed(() => {
  const d = props.device
  return [d.name, `${d.manufacturer} ${d.model}`.trim(), d.place, d.installed].filter(Boolean).join(' · ')
})
</script>

<template>
  <p class="flex flex-wrap gap-x-4 text-soft">
    {{ about }}
    <span class="no-print ml-auto flex flex-wrap items-baseline gap-x-4 text-sm">
      <template v-if="device.check">
        <a v-for="r in reports" :key="r.query" :href="reportAddress(r.query)" target="_blank" class="link">{{
          r.name
        }}</a>
        <template v-if="visited">
          <a :href="reportAddress('?for=visit')" target="_blank" class="link">Visit sheet</a>
          <VisitLink v-if="may" :machine="device.key" :name="device.name" />
        </template>
      </template>
      <RouterLink :to="{ name: 'compare', query: { a: device.key } }" class="link"
        >Compare with another machine</RouterLink
      >
    </span>
  </p>
  <section
    v-if="device.doubts?.length"
    aria-label="Which machine this is"
    class="card no-print my-3 px-4 py-2"
  >
    <DoubtList :doubts="device.doubts" :may="may" @settled="emit('changed')" />
  </section>
  <p v-if="device.tags?.length || device.retired || device.stale" class="text-sm text-soft">
    <RouterLink
      v-for="t in device.tags"
      :key="t"
      :to="{ name: 'devices', query: { where: `tag=${t}` } }"
      class="mr-1.5 rounded border border-line px-1 hover:text-ink"
      >{{ t }}</RouterLink
    >
    <span v-if="device.retired">Out of use. </span>
    <span v-if="device.stale">It has not reported for longer than it should.</span>
  </p>
  <p v-if="device.wave || device.who || device.work_note" class="flex flex-wrap gap-x-4 text-sm text-soft">
    <span v-if="device.wave"
      >In the wave
      <RouterLink :to="{ name: 'wave', params: { id: device.wave.id } }" class="link">{{
        device.wave.name
      }}</RouterLink>
      ({{ sayDay(device.wave.starts) }} to {{ sayDay(device.wave.ends) }}): {{ device.wave.says
      }}<template v-if="device.wave.reason">; {{ device.wave.reason }}</template></span
    >
    <span v-if="device.who || device.work_note"
      >{{ device.who ? `The work is given to ${device.who}` : 'Note'
      }}<template v-if="device.work_note">: {{ device.work_note }}</template></span
    >
  </p>
</template>
