<script setup lang="ts">
import { Disclosure, DisclosureButton, DisclosurePanel } from '@headlessui/vue'

import type { Schemas } from '../client'
import { sayDay } from '../words'
import MeasureBar from './MeasureBar.vue'

defineProps<{ finding: Schemas['AssessFinding'] }>()
/** The day before it falls away. */
const lastDay = (until: string) => new Date(Date.parse(until) - 1000).toISOString()
</script>

<template>
  <li
    class="grid gap-x-5 border-b border-line py-3 wrap-anywhere sm:grid-cols-[minmax(0,1fr)_minmax(0,19rem)]"
    :data-requirement="finding.requirement"
  >
    <div>
      <h3 class="font-semibold">
        {{ finding.title }}
        <span
          v-if="finding.asked_by === 'house'"
          class="ml-1 rounded border border-line px-1.5 text-xs font-normal text-soft"
          >house standard</span
        >
        <span
          v-if="finding.interim"
          class="ml-1 rounded border border-line px-1.5 text-xs font-normal text-soft"
          >on the way, for {{ finding.interim }}</span
        >
        <span
          v-if="finding.level === 'feature'"
          class="ml-1 rounded border border-line px-1.5 text-xs font-normal text-soft"
          >optional feature</span
        >
      </h3>
      <p v-if="finding.reason" class="text-soft">{{ finding.reason }}</p>
      <p v-if="finding.follows && finding.outcome === 'fail'" class="text-[13px] text-soft">
        {{ finding.follows }}
      </p>
      <p v-if="finding.waiver">
        Accepted by {{ finding.waiver.by }} until {{ sayDay(lastDay(finding.waiver.until)) }}:
        {{ finding.waiver.reason }}
      </p>
      <ul v-if="finding.close?.length" class="mt-1">
        <li v-for="c in finding.close" :key="c">
          <span class="font-semibold">To find it out:</span> {{ c }}
        </li>
      </ul>
    </div>
    <div>
      <MeasureBar v-if="finding.measure" :finding="finding" />
      <p v-else>
        <template v-if="finding.has !== 'unknown'">has </template><b>{{ finding.has }}</b>
        <span v-if="finding.outcome !== 'pass'">
          → needs <b>{{ finding.needs }}</b></span
        >
      </p>
      <p class="text-[13px] text-soft">
        <span v-if="finding.distance">{{ finding.distance }}</span>
        <span v-if="finding.no_step" class="block">{{ finding.no_step }}</span>
        <span v-if="finding.settled_by?.length && finding.outcome === 'fail'" class="block"
          >fixed by step {{ finding.settled_by.join(' and ') }}</span
        >
        <span v-if="finding.settled_by?.length && finding.outcome === 'unknown'" class="block"
          >known after step {{ finding.settled_by.join(' and ') }}</span
        >
        <span v-if="finding.advised">advised: {{ finding.advised }}</span>
      </p>
      <Disclosure>
        <DisclosureButton class="cursor-pointer text-[13px] text-accent underline underline-offset-2"
          >Evidence</DisclosureButton
        >
        <DisclosurePanel class="mt-1 text-[13px] text-soft">
          <p class="mb-1">
            {{ finding.why }}<span v-if="finding.follows"> {{ finding.follows }}</span
            ><span v-if="finding.quoted" class="block">{{ finding.quoted }}</span>
          </p>
          <p v-if="finding.rule" class="mb-1">{{ finding.rule }}</p>
          <p v-if="finding.list" class="mb-1">
            List {{ finding.list.list
            }}<template v-if="finding.list.row">, row {{ finding.list.row }}</template
            ><template v-if="finding.list.rule"
              >, rule {{ finding.list.rule }} reads generation {{ finding.list.generation }}</template
            ><template v-if="finding.list.nearest">, nearest row {{ finding.list.nearest }}</template
            >.
          </p>
          <ul>
            <li v-for="(e, i) in finding.evidence" :key="i">
              <code class="text-ink">{{ e.fact }}</code><template v-if="e.row"> of {{ e.row }}</template
              >: {{ e.has }}
              <span v-if="e.source"> ({{ e.source }})</span>
            </li>
          </ul>
        </DisclosurePanel>
      </Disclosure>
    </div>
  </li>
</template>
