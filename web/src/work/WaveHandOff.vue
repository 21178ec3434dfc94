<script setup lang="ts">
import type { Schemas } from '../client'
import AppButton from '../ui/AppButton.vue'
import { number } from '../words'

/** The wave as a file for the deployment system, and the note that it has it. */
const props = defineProps<{ wave: Schemas['WaveDetail']; waiting: number; busy: boolean; manages: boolean }>()
const emit = defineEmits<{ handOver: [] }>()
const handOff = (format: string) => `/api/v1/waves/${props.wave.id}/hand-off?format=${format}`
</script>

<template>
  <section aria-labelledby="hand-off" class="mb-7">
    <h2 id="hand-off" class="mb-2 border-b border-line pb-1.5 font-semibold">Hand off</h2>
    <p class="text-sm">
      For the deployment system, with way, edition, package and checksum:
      <a
        v-for="f in ['csv', 'json', 'ndjson']"
        :key="f"
        :href="handOff(f)"
        class="link mr-2 text-accent"
        :download="`wave-${wave.id}.${f}`"
        >{{ f.toUpperCase() }}</a
      >
    </p>
    <AppButton v-if="manages" small :disabled="busy || waiting === 0" class="mt-2" @click="emit('handOver')">
      Record hand-off of {{ number(waiting) }}
    </AppButton>
  </section>
</template>
