<script setup lang="ts">
import { useQuery } from '@pinia/colada'
import { computed, ref } from 'vue'
import { useRoute } from 'vue-router'

import { queries } from '../queries'
import TroubleBox from '../ui/TroubleBox.vue'
import { number } from '../words'
import DecisionForm from './DecisionForm.vue'
import DecisionList from './DecisionList.vue'

defineProps<{ may: boolean; manages: boolean }>()
const emit = defineEmits<{ changed: [] }>()
const route = useRoute()
const all = ref(false)
const { data, error, refetch } = useQuery(() => ({
  ...queries.decisions(all.value),
  placeholderData: (before) => before,
}))
const counting = computed(() => (data.value?.decisions ?? []).filter((d) => d.counts))
const over = computed(() => (data.value?.decisions ?? []).filter((d) => !d.counts))
async function again() {
  await refetch()
  emit('changed')
}
/** A list of machines may lead here, to decide something about them. */
const scope = computed(() => (route.query.for ? String(route.query.for) : undefined))
</script>

<template>
  <TroubleBox v-if="error && !data" :error="error" @again="refetch()" />
  <p v-else-if="!data" role="status" class="text-soft">Loading decisions…</p>
  <div v-else class="grid gap-x-9 gap-y-8 lg:grid-cols-[7fr_5fr]">
    <div>
      <section aria-labelledby="counting" class="mb-8">
        <h2 id="counting" class="border-b border-line pb-1.5 font-semibold">
          {{ counting.length ? `${number(counting.length)} in force` : 'In force' }}
        </h2>
        <p v-if="counting.length === 0" class="py-2 text-soft">
          No decisions. A decision has a reason and a last day, and ends by itself.
        </p>
        <DecisionList :decisions="counting" :may="may" :manages="manages" @changed="again" />
      </section>
      <section v-if="over.length" aria-labelledby="over">
        <h2 id="over" class="border-b border-line pb-1.5 font-semibold">Over</h2>
        <DecisionList :decisions="over" :may="false" :manages="false" />
      </section>
      <label class="mt-3 flex items-baseline gap-2 text-sm text-soft">
        <input v-model="all" type="checkbox" /> Include decisions that ended long ago
      </label>
    </div>
    <section v-if="may" aria-labelledby="decide" class="no-print">
      <h2 id="decide" class="mb-3 border-b border-line pb-1.5 font-semibold">Add decision</h2>
      <p v-if="scope" class="mb-2 text-sm">
        For machines with <code>{{ scope }}</code>
      </p>
      <DecisionForm :manages="manages" :scope="scope" @made="again" />
    </section>
  </div>
</template>
