<script setup lang="ts">
import { computed, ref } from 'vue'

import type { Schemas } from '../client'
import AppButton from '../ui/AppButton.vue'
import { usePermissions } from '../use/usePermissions'
import DecisionForm from '../work/DecisionForm.vue'
import DecisionList from '../work/DecisionList.vue'

const props = defineProps<{ machine: Schemas['Machine']; may: boolean }>()
const emit = defineEmits<{ changed: [] }>()
const { manages } = usePermissions()
const deciding = ref(false)
/** What may be asked to be waived here: what fails. */
const waivable = computed(() =>
  (props.machine.check?.findings ?? [])
    .filter((f) => f.level === 'must' && f.outcome === 'fail')
    .map((f) => ({ id: f.requirement, title: f.title })),
)
</script>

<template>
  <section
    v-if="machine.decisions?.length || may"
    aria-labelledby="decided"
    class="mt-9"
    :class="{ 'no-print': !machine.decisions?.length }"
  >
    <h2 id="decided" class="mb-1 flex items-baseline border-b border-line pb-1.5 font-semibold">
      Decisions
      <AppButton
        v-if="may"
        kind="link"
        small
        :aria-expanded="deciding"
        class="no-print ml-auto font-normal"
        @click="deciding = !deciding"
      >
        {{ deciding ? 'Close' : 'Add decision' }}
      </AppButton>
    </h2>
    <p v-if="!machine.decisions?.length && !deciding" class="py-1 text-sm text-soft">None.</p>
    <DecisionList
      :decisions="machine.decisions ?? []"
      :may="may"
      :manages="manages"
      one
      @changed="emit('changed')"
    />
    <DecisionForm
      v-if="deciding"
      class="mt-3 max-w-2xl"
      :manages="manages"
      :scope="`key=${machine.key}`"
      :fails="waivable"
      @made="emit('changed')"
    />
  </section>
</template>
