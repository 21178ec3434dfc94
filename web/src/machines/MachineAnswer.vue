<script setup lang="ts">
import type { Schemas } from '../client'
import DispositionMark from '../ui/DispositionMark.vue'
import { capital, sayMoment } from '../words'
import AttestedFacts from './AttestedFacts.vue'
import VouchedLine from './VouchedLine.vue'

/** The answer, first: what is to become of the machine, and what that rests on. */
defineProps<{ machine: Schemas['Machine']; check: Schemas['AssessDocument']; may: boolean }>()
const emit = defineEmits<{ changed: [] }>()
</script>

<template>
  <h1 class="mb-1 text-[27px] leading-tight font-semibold tracking-tight">
    <DispositionMark :of="check.disposition" big /><span
      v-if="check.certainty === 'expected' && check.disposition !== 'undetermined'"
      class="font-normal text-soft"
      >, expected</span
    >: {{ check.answer }}
  </h1>
  <p class="text-soft">
    {{ check.details?.join(' ') }}
    <span v-if="check.publisher && check.publisher.disposition !== check.disposition">
      By the publisher's requirements alone: <b>{{ check.publisher.disposition }}</b>;
      {{ check.publisher.answer }}
    </span>
  </p>
  <p class="mb-6 text-sm text-soft">
    <RouterLink
      :to="{ name: 'release', params: { id: check.release.id } }"
      class="underline underline-offset-2 hover:text-ink"
      >{{ check.release.name }}, revision {{ check.release.revision }}</RouterLink
    >
    · inventory of {{ sayMoment(check.machine.taken_at)
    }}<template v-if="check.machine.elevated !== undefined"
      >, {{ check.machine.elevated ? 'read as administrator' : 'without administrator rights' }}</template
    >
    · {{ check.coverage.read }} of {{ check.coverage.needed }} needed facts read
    <template v-if="check.support"> · {{ check.support.text }}</template>
  </p>
  <VouchedLine :machine="machine" :may="may" class="-mt-5" @changed="emit('changed')" />
  <AttestedFacts :attested="machine.attested" class="-mt-4" />
  <p v-for="w in check.warnings" :key="w" class="mb-3 font-semibold">{{ w }}</p>
  <p v-for="n in check.next" :key="n.release.id" class="-mt-4 mb-6">
    Next,
    <RouterLink
      :to="{ name: 'release', params: { id: n.release.id } }"
      class="underline underline-offset-2"
      >{{ n.release.name }}</RouterLink><span v-if="n.release.test_release" class="text-soft">
      (for testing)</span
    >: <b>{{ n.disposition }}</b>. {{ capital(n.answer)
    }}<span v-if="n.fails?.length" class="text-soft">
      Not met there, but met here: {{ n.fails.map((f) => f.toLowerCase()).join(', ') }}.</span
    >
  </p>
</template>
