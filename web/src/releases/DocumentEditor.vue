<script setup lang="ts">
import { computed, nextTick, ref } from 'vue'

import type { Schemas } from '../client'

const props = defineProps<{ mistakes: Schemas['DocMistake'][]; label?: string }>()
const text = defineModel<string>({ required: true })
const area = ref<HTMLTextAreaElement>()

const lines = computed(() => text.value.split('\n').length)
/** The mistakes of the document itself, those of one line together. */
const notes = computed(() => {
  const at = new Map<number, string[]>()
  for (const m of props.mistakes) {
    if (m.file || !m.line) continue
    at.set(m.line, [...(at.get(m.line) ?? []), m.right ? `${m.wrong}; ${m.right}` : m.wrong])
  }
  return [...at].map(([line, says]) => ({ line, says: says.join(' · ') }))
})
const wrong = computed(() => new Set(notes.value.map((n) => n.line)))

/** Puts the cursor where a mistake is. */
async function goTo(line: number, column: number) {
  const before = text.value.split('\n').slice(0, line - 1)
  const at = before.reduce((n, l) => n + l.length + 1, 0) + Math.max(0, column - 1)
  await nextTick()
  area.value?.focus()
  area.value?.setSelectionRange(at, at)
  area.value?.closest('[data-scroll]')?.scrollTo({ top: Math.max(0, (line - 6) * 20) })
}
defineExpose({ goTo })
</script>

<template>
  <div data-scroll class="card max-h-[62vh] overflow-auto font-mono text-[13px] leading-[20px]">
    <div
      class="relative grid min-w-[44rem]"
      :class="
        notes.length
          ? 'grid-cols-[3.5rem_minmax(28rem,1fr)_minmax(18rem,24rem)]'
          : 'grid-cols-[3.5rem_minmax(28rem,1fr)]'
      "
    >
      <div aria-hidden="true" class="border-r border-line py-2 pr-2 text-right text-soft select-none">
        <div v-for="n in lines" :key="n" :class="{ 'bg-replace font-bold text-card': wrong.has(n) }">
          {{ n }}
        </div>
      </div>
      <textarea
        ref="area"
        v-model="text"
        :aria-label="label ?? 'The release document'"
        aria-describedby="mistakes"
        wrap="off"
        spellcheck="false"
        autocapitalize="off"
        autocomplete="off"
        class="editor-text resize-none overflow-x-auto overflow-y-hidden bg-transparent px-3 py-2"
        :style="{ height: `${lines * 20 + 16}px` }"
      />
      <div v-if="notes.length" class="relative border-l border-line font-sans text-[13px]">
        <p
          v-for="n in notes"
          :key="n.line"
          class="absolute right-1 left-2 truncate text-replace"
          :style="{ top: `${(n.line - 1) * 20 + 8}px` }"
          :title="n.says"
        >
          <span aria-hidden="true">◂ </span>{{ n.says }}
        </p>
      </div>
    </div>
  </div>
</template>
