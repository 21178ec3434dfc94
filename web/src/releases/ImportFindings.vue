<script setup lang="ts">
import { computed } from 'vue'

import type { Schemas } from '../client'

/** What was assumed of a page, its footnotes, its series, and what it changes in a list. */
const props = defineProps<{ found: Schemas['ImportedList'] }>()
const changes = computed(() => {
  const c = props.found.changes
  if (!c) return []
  return [
    { title: 'Added by the page', lines: c.added },
    { title: 'No longer on the page', lines: c.removed },
    { title: 'Changed by the page', lines: c.changed },
    { title: 'Kept: corrected by hand', lines: c.kept },
  ].filter((part) => part.lines.length)
})
</script>

<template>
  <section v-if="found.guessed.length" class="mb-4 text-sm">
    <h3 class="mb-1 font-semibold">Assumed</h3>
    <ul>
      <li v-for="g in found.guessed" :key="g" class="py-0.5">{{ g }}</li>
    </ul>
  </section>
  <section v-if="found.changes" class="mb-4 text-sm">
    <h3 class="mb-1 font-semibold">Changes to the list</h3>
    <p v-if="!changes.length">The page changes nothing in the rows.</p>
    <div v-for="part in changes" :key="part.title" class="mb-2">
      <h4 class="text-soft">{{ part.title }}</h4>
      <ul class="max-h-40 overflow-auto">
        <li v-for="line in part.lines" :key="line">{{ line }}</li>
      </ul>
    </div>
  </section>
  <section v-if="found.footnotes.length" class="mb-4 text-sm">
    <h3 class="mb-1 font-semibold">Footnotes</h3>
    <dl>
      <div v-for="n in found.footnotes" :key="n.mark + n.text" class="flex gap-3 py-0.5">
        <dt class="w-6 shrink-0 text-right font-semibold">{{ n.mark }}</dt>
        <dd>
          {{ n.text || 'The page does not have its text.' }}
          <span class="block text-soft"
            >{{ n.names.join(', ')
            }}<template v-if="n.rows > n.names.length">
              and {{ n.rows - n.names.length }} more</template
            ></span
          >
        </dd>
      </div>
    </dl>
  </section>
  <section v-for="s in found.series" :key="s.row" class="mb-4 text-sm">
    <h3 class="mb-1 font-semibold">Row {{ s.row }} describes a series: {{ s.says }}</h3>
    <p v-if="s.why">{{ s.why }}</p>
    <template v-else>
      <p class="text-soft">Proposed naming rules, for the key <code>naming</code> of the list:</p>
      <pre class="my-1 overflow-auto rounded-md border border-line bg-card px-3 py-2 text-xs">{{
        s.rules
      }}</pre>
      <p v-if="s.left.length" class="font-semibold">
        Not in the rules: {{ s.left.join(', ') }}. Add these exceptions by hand.
      </p>
      <p>
        <template v-if="s.included.length"
          >Includes of the fleet’s processors: {{ s.included.join(', ') }}.</template
        >
        <template v-else>Includes none of the fleet’s processors.</template>
        <template v-if="s.excluded.length"> Excludes: {{ s.excluded.join(', ') }}.</template>
      </p>
    </template>
  </section>
</template>
