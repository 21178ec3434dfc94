<script setup lang="ts">
import { ref } from 'vue'

import type { Schemas } from '../client'
import AppButton from '../ui/AppButton.vue'
import { capital } from '../words'
import OutcomeFile from './OutcomeFile.vue'

const outcomes = ['failed', 'back', 'arrived'] as const
type Outcome = (typeof outcomes)[number]
/** What became of machines, told by a person or by a file, where no inventory can show it. */
const props = defineProps<{
  wave: Schemas['WaveDetail']
  busy: boolean
  tell: (machine: string, outcome: Outcome, reason: string) => Promise<boolean>
}>()
const emit = defineEmits<{ taken: [] }>()
const telling = ref('')
const outcome = ref<Outcome>('failed')
const reason = ref('')
async function tellOne() {
  if (await props.tell(telling.value, outcome.value, reason.value)) telling.value = reason.value = ''
}
</script>

<template>
  <section aria-labelledby="outcomes" class="mb-7">
    <h2 id="outcomes" class="mb-2 border-b border-line pb-1.5 font-semibold">Outcomes</h2>
    <p class="text-sm text-soft">
      Later inventories show which machines arrived. Record here what they cannot show.
    </p>
    <form class="mt-2 grid gap-1.5 text-[13px] text-soft" @submit.prevent="tellOne">
      <label
        >Machine
        <select v-model="telling" required class="entry mt-0.5 block w-full">
          <option v-for="m in wave.members" :key="m.key" :value="m.key">{{ m.name }}</option>
        </select></label
      >
      <label
        >Outcome
        <select v-model="outcome" class="entry mt-0.5 block w-full">
          <option v-for="o in outcomes" :key="o" :value="o">
            {{ capital(wave.outcome_names[o] ?? o) }}
          </option>
        </select></label
      >
      <label
        >Why
        <input
          v-model="reason"
          :required="outcome === 'failed'"
          maxlength="500"
          class="entry mt-0.5 block w-full"
      /></label>
      <AppButton small type="submit" :disabled="busy" class="justify-self-start"> Record outcome </AppButton>
    </form>
    <OutcomeFile :wave="wave" @taken="emit('taken')" />
  </section>
</template>
