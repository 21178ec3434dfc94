<script setup lang="ts">
// A button. What it does to a page is told by its kind: the main act of a form, any other act, or
// an act that stands in a text.
import { computed } from 'vue'

const props = withDefaults(
  defineProps<{ kind?: 'main' | 'plain' | 'link'; small?: boolean; type?: 'button' | 'submit' }>(),
  { kind: 'plain', type: 'button' },
)

const looks = {
  main: 'rounded-md bg-accent font-semibold text-card',
  plain: 'rounded-md border border-line hover:border-accent',
  link: 'py-0.5 text-accent underline underline-offset-2',
}
const size = computed(() => {
  if (props.kind === 'link') return props.small ? 'text-sm' : ''
  return props.small ? 'px-3 py-1 text-sm' : 'px-4 py-1.5'
})
</script>

<template>
  <button
    :type="type"
    class="cursor-pointer disabled:cursor-not-allowed disabled:opacity-50"
    :class="[looks[kind], size]"
  >
    <slot />
  </button>
</template>
