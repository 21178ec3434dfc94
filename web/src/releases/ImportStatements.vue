<script setup lang="ts">
/** What a page states in sentences, and the files that an update compares with. */
const set = defineModel<string>('set', { required: true })
const except = defineModel<string>('except', { required: true })
const only = defineModel<string>('only', { required: true })
const emit = defineEmits<{ current: [event: Event]; former: [event: Event] }>()
</script>

<template>
  <div class="mb-4 flex flex-wrap items-end gap-x-6 gap-y-3 text-sm">
    <label class="block">
      <span class="block text-soft">The page states for all rows</span>
      <input v-model.lazy="set" type="text" placeholder="built_in_tpm=true" class="entry w-56" />
    </label>
    <label class="block">
      <span class="block text-soft">except rows marked</span>
      <input v-model.lazy="except" type="text" placeholder="2" class="entry w-24" />
    </label>
    <label class="block">
      <span class="block text-soft">Conditions of marked rows</span>
      <input v-model.lazy="only" type="text" placeholder="1=laptop" class="entry w-28" />
    </label>
    <details>
      <summary class="cursor-pointer text-soft hover:text-ink">Update a list</summary>
      <div class="mt-2 flex flex-wrap gap-x-6 gap-y-3">
        <label class="block">
          <span class="block text-soft">Rows that the list has now (CSV)</span>
          <input type="file" accept=".csv" @change="emit('current', $event)" />
        </label>
        <label class="block">
          <span class="block text-soft">Page that they came from</span>
          <input type="file" accept=".html,.htm,.csv,.tsv,.txt,.xlsx" @change="emit('former', $event)" />
        </label>
      </div>
    </details>
  </div>
</template>
