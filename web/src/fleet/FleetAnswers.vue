<script setup lang="ts">
import { useQuery } from '@pinia/colada'
import { ref } from 'vue'

import { queries } from '../queries'
import type { Schemas } from '../client'
import TroubleBox from '../ui/TroubleBox.vue'

/** What is asked of a whole fleet again and again; answered when somebody opens it. */
const open = ref(false)
const { data, error, refetch } = useQuery(() => ({ ...queries.fleetAnswers(), enabled: open.value }))
const place = (a: Schemas['FleetAnswer']) =>
  a.place === 'machines'
    ? { name: 'machines', query: { where: a.where } }
    : a.place === 'releases'
      ? { name: 'releases' }
      : { name: 'work', query: { tab: a.place } }
</script>

<template>
  <section aria-labelledby="answers" class="mt-8">
    <h2 id="answers" class="mb-2 border-b border-line pb-1.5 font-semibold">
      <button type="button" class="cursor-pointer" :aria-expanded="open" @click="open = !open">
        <span aria-hidden="true" class="text-soft">{{ open ? '▾' : '▸' }}</span> Questions and answers
      </button>
    </h2>
    <template v-if="open">
      <TroubleBox v-if="error" :error="error" @again="refetch()" />
      <p v-else-if="!data" role="status" class="text-soft">Counting…</p>
      <dl v-else>
        <div v-for="a in data.answers" :key="a.asks" class="py-1.5">
          <dt class="text-soft">{{ a.asks }}</dt>
          <dd>
            <RouterLink :to="place(a)" class="link">{{ a.says }}</RouterLink>
          </dd>
        </div>
      </dl>
    </template>
  </section>
</template>
