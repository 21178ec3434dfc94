<script setup lang="ts">
defineProps<{ error: unknown }>()
defineEmits<{ again: [] }>()
</script>

<template>
  <div role="alert" class="rounded-lg border border-line bg-card p-4">
    <p class="font-semibold">This could not be shown.</p>
    <p class="mb-3 text-soft">{{ (error as Error).message }} Nothing was changed.</p>
    <button
      type="button"
      class="cursor-pointer rounded-md border border-line px-3 py-1 font-semibold"
      @click="$emit('again')"
    >
      Try again
    </button>
  </div>
</template>
