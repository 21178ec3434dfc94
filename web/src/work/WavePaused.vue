<script setup lang="ts">
import { ref } from 'vue'

import type { Schemas } from '../client'
import AppButton from '../ui/AppButton.vue'

/** Why a wave is paused, and the way to let it go on. */
const props = defineProps<{
  wave: Schemas['WaveDetail']
  busy: boolean
  manages: boolean
  resume: (reason: string) => Promise<boolean>
}>()
const reason = ref('')
async function goOn() {
  if (await props.resume(reason.value)) reason.value = ''
}
</script>

<template>
  <section aria-label="Paused" class="card mb-5 max-w-2xl border-l-4 border-replace px-4 py-3">
    <p>
      <b>This wave is paused:</b> {{ wave.paused }}. Nothing of it can be handed off until somebody says why
      it can go on.
    </p>
    <form v-if="manages" class="no-print mt-2 flex flex-wrap items-end gap-3" @submit.prevent="goOn">
      <label class="text-[13px] text-soft"
        >Reason
        <input v-model="reason" required maxlength="500" class="entry block w-80 max-w-full" />
      </label>
      <AppButton small type="submit" :disabled="busy">Resume wave</AppButton>
    </form>
  </section>
</template>
