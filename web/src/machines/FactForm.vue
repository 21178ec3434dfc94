<script setup lang="ts">
import AppButton from '../ui/AppButton.vue'
import { useQueryCache } from '@pinia/colada'
import { computed, ref } from 'vue'

import { api, ask } from '../client'
import { useAction } from '../use/useAction'

const props = defineProps<{
  /** Missing where the answer is for all machines of the model alone. */
  machine?: string
  fact: string
  label: string
  choices?: string[]
  example?: string
  model?: { maker: string; model: string; machines: number }
}>()
const emit = defineEmits<{ entered: [] }>()
const cache = useQueryCache()
/** An adapter that is picked by its PCI ids is the same on every machine that has it. */
const ofAdapter = props.fact.includes(':')
const forWhich = computed(() => {
  const { maker, model, machines } = props.model ?? {}
  if (ofAdapter) return `every ${maker} ${model} that has this adapter`
  return `all ${props.machine ? machines + ' ' : ''}${maker} ${model}`
})
const open = ref(false)
const value = ref('')
const note = ref('')
const forAll = ref(false)
const { busy: sending, trouble, run } = useAction()

const enter = () =>
  run(async () => {
    if ((forAll.value || !props.machine) && props.model) {
      const { maker, model } = props.model
      await ask(
        api.POST('/model-facts', {
          body: { maker, model, fact: props.fact, value: value.value, note: note.value || undefined },
        }),
      )
      await cache.invalidateQueries()
    } else if (props.machine)
      await ask(
        api.PUT('/machines/{key}/facts/{fact}', {
          params: { path: { key: props.machine, fact: props.fact } },
          body: { value: value.value, note: note.value || undefined },
        }),
      )
    open.value = false
    emit('entered')
  })
</script>

<template>
  <AppButton v-if="!open" kind="link" @click="open = true">
    <template v-if="machine">Enter by hand</template>
    <template v-else>Enter for {{ forWhich }}</template>
  </AppButton>
  <form
    v-else
    class="mt-1 flex flex-wrap items-end gap-2"
    @submit.prevent="enter"
    @keydown.esc="open = false"
  >
    <label class="text-xs text-soft"
      >{{ label }}
      <select
        v-if="choices?.length"
        v-model="value"
        required
        class="block w-48 rounded-md border border-line bg-card px-2 py-1 text-sm text-ink"
      >
        <option v-for="c in choices" :key="c">{{ c }}</option>
      </select>
      <input
        v-else
        v-model="value"
        required
        maxlength="500"
        :placeholder="example"
        :title="example"
        class="block w-72 rounded-md border border-line bg-card px-2 py-1 text-sm text-ink"
        autofocus
      />
    </label>
    <label class="text-xs text-soft"
      >Source of the value
      <input
        v-model="note"
        maxlength="500"
        placeholder="board manual, page 12"
        class="block w-48 rounded-md border border-line bg-card px-2 py-1 text-sm text-ink"
      />
    </label>
    <label
      v-if="machine && model && model.machines > 1 && !/\[\d+\]/.test(fact)"
      class="flex items-baseline gap-1.5 py-1 text-sm"
    >
      <input v-model="forAll" type="checkbox" />
      for {{ forWhich }}
    </label>
    <AppButton kind="main" small type="submit" :disabled="sending"> Enter fact </AppButton>
    <button type="button" class="cursor-pointer px-1 py-1 text-sm underline" @click="open = false">
      Cancel
    </button>
    <p v-if="trouble" role="alert" class="basis-full text-sm text-replace">{{ trouble }}</p>
  </form>
</template>
