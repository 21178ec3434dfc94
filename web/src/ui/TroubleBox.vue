<script setup lang="ts">
import AppButton from './AppButton.vue'
defineProps<{ error: unknown }>()
defineEmits<{ again: [] }>()
</script>

<template>
  <div role="alert" class="card p-4">
    <p class="font-semibold">The page could not be loaded.</p>
    <p class="mb-3 text-soft">{{ (error as Error).message }}</p>
    <AppButton small @click="$emit('again')"> Try again </AppButton>
  </div>
</template>
