<script setup lang="ts">
import { ref, watch } from 'vue'

import type { Schemas } from '../client'
import { completions } from '../filter'

/** The filter as text, for those who know what they want. */
const props = defineProps<{ where: string }>()
const emit = defineEmits<{ apply: [where: string] }>()
const expert = ref('')
watch(
  () => props.where,
  (w) => (expert.value = w),
  { immediate: true },
)
const offered = ref<Schemas['Completion'][]>([])
let typed = 0
/** Asks the service how the filter can go on, once nobody has typed for a moment. */
async function complete() {
  const now = ++typed
  await new Promise((done) => setTimeout(done, 150))
  if (now !== typed) return
  const found = await completions(expert.value).catch(() => [])
  if (now === typed) offered.value = found
}
</script>

<template>
  <details class="mb-3 text-sm text-soft" :open="false">
    <summary class="cursor-pointer">
      Filter as text<template v-if="where"
        >: <code class="text-ink">{{ where }}</code></template
      >
    </summary>
    <form class="mt-2 flex gap-2" @submit.prevent="emit('apply', expert)">
      <label class="sr-only" for="expert">Filter</label>
      <input
        id="expert"
        v-model="expert"
        list="completions"
        autocomplete="off"
        spellcheck="false"
        @input="complete"
        @focus="complete"
        class="w-full max-w-xl rounded-lg border border-line bg-card px-3 py-1.5 font-mono text-ink"
      />
      <datalist id="completions">
        <option v-for="c in offered" :key="c.text" :value="c.text">{{ c.says }}</option>
      </datalist>
      <button type="submit" class="cursor-pointer rounded-lg border border-line px-3 font-semibold text-ink">
        Apply
      </button>
    </form>
    <p class="mt-1">
      Terms separated by spaces must all match; <code>or</code>, <code>not</code> and parentheses combine
      them. A term is a word, or a key such as name, site, model, disposition or fails with =, != and values;
      numbers also compare with &lt;, &lt;=, &gt; and &gt;=. A key can be a fact, and * stands for any
      characters: <code>memory.installed_bytes&lt;8GiB or tpm.state=not-*</code>.
      <code>rolltop machines --where</code> takes the same text.
    </p>
  </details>
</template>
