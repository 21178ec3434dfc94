<script setup lang="ts">
import AppButton from '../ui/AppButton.vue'
import { useQueryCache } from '@pinia/colada'

import { api, ask, type Schemas } from '../client'
import { sayMoment } from '../words'
import { useAction } from '../use/useAction'

defineProps<{ doubts: Schemas['Doubt'][]; may: boolean }>()
const emit = defineEmits<{ settled: [] }>()
const cache = useQueryCache()
const { trouble, run } = useAction()
const settle = (d: Schemas['Doubt'], verdict: 'same' | 'apart') =>
  run(async () => {
    await ask(api.POST('/doubts/{id}', { params: { path: { id: d.id } }, body: { verdict } }))
    await cache.invalidateQueries()
    emit('settled')
  })
const link = 'cursor-pointer py-1 text-accent underline underline-offset-2'
</script>

<template>
  <ul>
    <li v-for="d in doubts" :key="d.id" class="py-1.5" :data-doubt="d.kind">
      <RouterLink
        :to="{ name: 'device', params: { machine: d.key } }"
        class="font-semibold underline-offset-2 hover:underline"
        >{{ d.name }}</RouterLink><template v-if="d.taken_at"
        >, the inventory of {{ sayMoment(d.taken_at) }}</template
      >. {{ d.says }}
      <span v-if="d.kind !== 'noted'" class="flex flex-wrap gap-x-4 text-sm">
        <RouterLink v-if="d.other" :to="{ name: 'compare', query: { a: d.other, b: d.key } }" :class="link"
          >Side by side</RouterLink
        >
        <template v-if="may">
          <AppButton kind="link" @click="settle(d, 'same')">
            {{ d.other ? 'They are one machine' : 'It is this machine' }}
          </AppButton>
          <AppButton kind="link" @click="settle(d, 'apart')">
            {{ d.other ? 'They are two' : 'It is another machine' }}
          </AppButton>
        </template>
      </span>
    </li>
  </ul>
  <p v-if="trouble" role="alert" class="text-replace">{{ trouble }}</p>
</template>
