<script setup lang="ts">
import ApplicationImport from './ApplicationImport.vue'
import ListImport from './ListImport.vue'
</script>

<template>
  <h1 class="mb-2 text-[27px] leading-tight font-semibold tracking-tight">Import a list</h1>
  <p class="mb-4 max-w-[70ch]">
    Convert a list of processors or models to a file with rows. The release document refers to the file with
    <code>file:</code>.
  </p>
  <ListImport use="" />
  <h2 class="mt-10 mb-2 border-b border-line pb-1.5 text-lg font-semibold">Applications</h2>
  <p class="mb-4 max-w-[70ch]">
    Convert a table of applications to the section <code>software:</code> of a release document. You see a
    preview first; nothing is saved.
  </p>
  <ApplicationImport />
</template>
