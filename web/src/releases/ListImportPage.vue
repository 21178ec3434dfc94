<script setup lang="ts">
import ListImport from './ListImport.vue'
</script>

<template>
  <h1 class="mb-2 text-[27px] leading-tight font-semibold tracking-tight">Import a list</h1>
  <p class="mb-4 max-w-[70ch]">
    Convert a list of processors or models to a file with rows. The release document refers to the file with
    <code>file:</code>.
  </p>
  <ListImport use="" />
</template>
