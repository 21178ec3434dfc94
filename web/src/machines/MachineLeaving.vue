<script setup lang="ts">
import { computed } from 'vue'

import type { Schemas } from '../client'
import TickBox from './TickBox.vue'

const props = defineProps<{ machine: Schemas['Machine']; may: boolean }>()
const emit = defineEmits<{ changed: [] }>()
/** A machine leaves where it is replaced, out of use, or somebody has begun with it. */
const leaves = computed(
  () =>
    props.machine.check?.disposition === 'replace' ||
    props.machine.retired ||
    props.machine.leaving.some((l) => l.ticked),
)
</script>

<template>
  <section v-if="machine.after_upgrade?.length" aria-labelledby="after" class="mt-9">
    <h2 id="after" class="mb-1 border-b border-line pb-1.5 font-semibold">After the upgrade, ask the user</h2>
    <ul class="max-w-[75ch] text-[14px]">
      <li v-for="q in machine.after_upgrade" :key="q.id" class="py-1.5">
        <b>{{ q.title }}</b> <span class="text-soft">{{ q.says }}</span>
        <TickBox
          :machine="machine.key"
          kind="after"
          :item="q.id"
          :title="q.title"
          :ticked="q.ticked"
          :may="may"
          @said="emit('changed')"
        />
      </li>
    </ul>
  </section>
  <section v-if="leaves" aria-labelledby="leaving" class="mt-9">
    <h2 id="leaving" class="mb-1 border-b border-line pb-1.5 font-semibold">When the machine leaves</h2>
    <ul class="max-w-[75ch] text-[14px]">
      <li v-for="l in machine.leaving" :key="l.id" class="py-1.5">
        <b>{{ l.title }}</b> <span class="text-soft">{{ l.says }}</span>
        <TickBox
          :machine="machine.key"
          kind="leave"
          :item="l.id"
          :title="l.title"
          :ticked="l.ticked"
          :may="may"
          @said="emit('changed')"
        />
      </li>
    </ul>
  </section>
</template>
