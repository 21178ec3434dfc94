<script setup lang="ts">
import { computed } from 'vue'

import type { Schemas } from '../client'
import { number } from '../words'

/** The requirements that machines fail, with how many fail nothing else. */
const props = defineProps<{ fleet: Schemas['Fleet'] }>()
const obstacles = computed(() => props.fleet.obstacles.filter((o) => o.fails > 0))
const most = computed(() => Math.max(1, ...obstacles.value.map((o) => o.fails)))
// Two releases may give a requirement the same title; then the release stands beside it.
const shared = computed(() => {
  const titles = obstacles.value.map((o) => o.title)
  return new Set(titles.filter((t, i) => titles.indexOf(t) !== i))
})
const list = (where: string) => ({ name: 'machines', query: { where } })
const part = (n: number, of: number) => `${(100 * n) / of}%`
</script>

<template>
  <section aria-labelledby="obstacles">
    <h2 id="obstacles" class="mb-2 border-b border-line pb-1.5 font-semibold">Failing requirements</h2>
    <p v-if="obstacles.length === 0" class="py-2 text-soft">No machine fails a requirement.</p>
    <ul>
      <li
        v-for="o in obstacles"
        :key="o.release + o.requirement"
        class="bar-row grid items-center gap-x-3 py-1"
      >
        <RouterLink :to="list(o.where)" class="leading-tight underline-offset-2 hover:underline">
          {{ o.title }}<span v-if="shared.has(o.title)" class="text-soft"> · {{ o.release }}</span>
        </RouterLink>
        <div class="flex h-3.5 overflow-hidden rounded-[3px]" aria-hidden="true">
          <RouterLink
            tabindex="-1"
            :to="list(o.where_alone)"
            class="bg-accent"
            :style="{ width: part(o.alone, most) }"
            :title="`${o.alone} fail nothing else`"
          />
          <RouterLink
            tabindex="-1"
            :to="list(o.where)"
            class="hatch-accent"
            :style="{ width: part(o.fails - o.alone, most) }"
            :title="`${o.fails - o.alone} fail something else too`"
          />
        </div>
        <RouterLink
          :to="list(o.where)"
          class="text-right font-semibold underline-offset-2 hover:underline"
          :aria-label="`${o.fails} machines fail ${o.title}, ${o.alone} of them nothing else`"
        >
          {{ number(o.fails) }}
        </RouterLink>
        <RouterLink
          v-if="o.unknown"
          :to="list(o.where_unknown)"
          class="text-[13px] whitespace-nowrap text-soft underline-offset-2 hover:underline max-sm:hidden"
          :aria-label="`${o.unknown} unknown: ${o.title}`"
        >
          {{ number(o.unknown) }} unknown
        </RouterLink>
      </li>
    </ul>
    <p v-if="obstacles.length" class="mt-3 text-[13px] text-soft">
      Solid: the only failing requirement of the machine. Hatched: one of several.
    </p>
  </section>
</template>
