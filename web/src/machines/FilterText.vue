<script setup lang="ts">
import { ref, watch } from 'vue'

/** The filter as text, for those who know what they want. */
const props = defineProps<{ where: string }>()
const emit = defineEmits<{ apply: [where: string] }>()
const expert = ref('')
watch(
  () => props.where,
  (w) => (expert.value = w),
  { immediate: true },
)
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
        class="w-full max-w-xl rounded-lg border border-line bg-card px-3 py-1.5 font-mono text-ink"
      />
      <button type="submit" class="cursor-pointer rounded-lg border border-line px-3 font-semibold text-ink">
        Apply
      </button>
    </form>
    <p class="mt-1">
      Terms separated by spaces; all must match: key=value[,value] with a key such as disposition, site,
      class, fails, alone, unknown, installed, model, maker, certainty, tag, route, next, ends, older, hold,
      duplicate, cause, retired; or a fact:
      <code>memory.installed_bytes&lt;=4GiB</code>, <code>tpm.state=not-seen</code>,
      <code>missing=tpm.header</code>The same text works with <code>rolltop machines --where</code>.
    </p>
  </details>
</template>
