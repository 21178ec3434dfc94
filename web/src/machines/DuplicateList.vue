<script setup lang="ts">
import AppButton from '../ui/AppButton.vue'
import { useQueryCache } from '@pinia/colada'

import { api, ask, type Schemas } from '../client'
import { sayMoment } from '../words'
import { useAction } from '../use/useAction'

defineProps<{ duplicates: Schemas['Duplicate'][]; may: boolean }>()
const emit = defineEmits<{ settled: [] }>()
const cache = useQueryCache()
const { trouble, run } = useAction()
const settle = (d: Schemas['Duplicate'], verdict: 'same' | 'apart') =>
  run(async () => {
    await ask(api.POST('/duplicates/{id}', { params: { path: { id: d.id } }, body: { verdict } }))
    await cache.invalidateQueries()
    emit('settled')
  })
/** What the two answers are called: same, and apart. */
const words = (d: Schemas['Duplicate']) => {
  if (d.kind === 'another-tpm') return ['Its TPM was exchanged', 'Go on refusing this TPM']
  return d.other ? ['One machine', 'Two machines'] : ['This machine', 'A different machine']
}
const link = 'cursor-pointer py-1 text-accent underline underline-offset-2'
</script>

<template>
  <ul>
    <li v-for="d in duplicates" :key="d.id" class="py-1.5" :data-duplicate="d.kind">
      <RouterLink
        :to="{ name: 'machine', params: { machine: d.key } }"
        class="font-semibold underline-offset-2 hover:underline"
        >{{ d.name }}</RouterLink><template v-if="d.taken_at"
        >, the inventory of {{ sayMoment(d.taken_at) }}</template
      >. {{ d.says }}
      <span v-if="d.kind !== 'noted'" class="flex flex-wrap gap-x-4 text-sm">
        <RouterLink v-if="d.other" :to="{ name: 'compare', query: { a: d.other, b: d.key } }" :class="link"
          >Compare</RouterLink
        >
        <template v-if="may">
          <AppButton kind="link" @click="settle(d, 'same')">
            {{ words(d)[0] }}
          </AppButton>
          <AppButton kind="link" @click="settle(d, 'apart')">
            {{ words(d)[1] }}
          </AppButton>
        </template>
      </span>
    </li>
  </ul>
  <p v-if="trouble" role="alert" class="text-replace">{{ trouble }}</p>
</template>
