<script setup lang="ts">
import { Listbox, ListboxButton, ListboxOption, ListboxOptions } from '@headlessui/vue'

/** A button that opens a list, of which any number may be chosen. */
defineProps<{ says: string; choices: { value: string; label: string; count?: number }[]; right?: boolean }>()
const chosen = defineModel<string[]>({ required: true })
</script>

<template>
  <Listbox v-model="chosen" multiple as="div" class="relative">
    <ListboxButton class="cursor-pointer rounded-lg border border-line bg-card px-3 py-1.5">
      {{ says }} ▾
    </ListboxButton>
    <ListboxOptions class="drop-down max-h-80 w-56 overflow-auto" :class="{ 'right-0': right }">
      <ListboxOption
        v-for="c in choices"
        :key="c.value"
        v-slot="{ active, selected }"
        :value="c.value"
        as="template"
      >
        <li class="flex cursor-pointer gap-2 px-3 py-1.5" :class="active ? 'bg-shade' : ''">
          <span class="w-4 text-accent" aria-hidden="true">{{ selected ? '●' : '' }}</span>{{ c.label }}
          <span v-if="c.count !== undefined" class="ml-auto text-soft">{{ c.count }}</span>
        </li>
      </ListboxOption>
    </ListboxOptions>
  </Listbox>
</template>
