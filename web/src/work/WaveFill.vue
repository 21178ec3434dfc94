<script setup lang="ts">
import { ref } from 'vue'

import type { Schemas } from '../client'
import AppButton from '../ui/AppButton.vue'
import { number } from '../words'

/** Fills a wave: with what its rule picks, or with machines by their keys. */
const props = defineProps<{
  wave: Schemas['WaveDetail']
  busy: boolean
  add: (keys: string[], byName: boolean, day: string) => Promise<boolean>
}>()
const keys = ref('')
const byName = ref(false)
const day = ref('')
const named = () =>
  keys.value
    .toLowerCase()
    .split(/[\s,;]+/)
    .filter(Boolean)
async function putIn() {
  if (await props.add(named(), byName.value, day.value)) keys.value = ''
}
</script>

<template>
  <section aria-labelledby="fill" class="mb-7">
    <h2 id="fill" class="mb-2 border-b border-line pb-1.5 font-semibold">Add machines</h2>
    <AppButton
      kind="main"
      small
      :disabled="busy || wave.free === 0 || wave.members.length >= wave.most"
      @click="props.add([], false, '')"
    >
      Take {{ number(Math.min(wave.free, Math.max(0, wave.most - wave.members.length))) }} of
      {{ number(wave.free) }} that can enter
    </AppButton>
    <form class="mt-3 text-[13px] text-soft" @submit.prevent="putIn()">
      <label class="block"
        >Or these keys
        <input v-model="keys" required placeholder="gull-014 gull-015" class="entry mt-0.5 block w-full"
      /></label>
      <label class="mt-1 flex items-baseline gap-2">
        <input v-model="byName" type="checkbox" class="my-1.5 size-5" /> also machines with a waived
        requirement, or that lose something, in my name
      </label>
      <label class="mt-1 block"
        >On this day, also those in the wave
        <input v-model="day" type="date" :min="wave.starts" :max="wave.ends" class="entry mt-0.5 block w-44"
      /></label>
      <AppButton small type="submit" :disabled="busy" class="mt-1">{{
        day ? 'Set day' : 'Add machines'
      }}</AppButton>
    </form>
  </section>
</template>
