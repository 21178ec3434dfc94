<script setup lang="ts">
import { useQuery } from '@pinia/colada'

import { api, ask } from '../client'
import TroubleBox from '../parts/TroubleBox.vue'
import { sayDay } from '../words'

const { data, error, refetch } = useQuery({ key: ['releases'], query: () => ask(api.GET('/releases')) })
const classes = { pc: 'PCs', mac: 'Macs' }
</script>

<template>
  <h1 class="mb-4 text-[27px] leading-tight font-semibold tracking-tight">Releases</h1>
  <TroubleBox v-if="error" :error="error" @again="refetch()" />
  <p v-else-if="!data" role="status" class="text-soft">Reading the list…</p>
  <p v-else-if="data.releases.length === 0" class="rounded-lg border border-line bg-card p-5">
    No release document has been added. <code>rolltop releases add FILE</code> adds one.
  </p>
  <table v-else class="w-full text-left">
    <thead>
      <tr class="border-b border-line text-sm text-soft">
        <th scope="col" class="py-1.5 pr-4 font-normal">Release</th>
        <th scope="col" class="py-1.5 pr-4 font-normal">For</th>
        <th scope="col" class="py-1.5 pr-4 font-normal">Revision</th>
        <th scope="col" class="py-1.5 pr-4 font-normal">Added</th>
        <th scope="col" class="py-1.5 font-normal">Use</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="r in data.releases" :key="r.id + r.revision" class="border-b border-line/60">
        <td class="py-2 pr-4 font-semibold">
          <RouterLink
            :to="{ name: 'release', params: { id: r.id }, query: { revision: r.revision } }"
            class="underline-offset-2 hover:underline"
            >{{ r.name }}</RouterLink
          >
        </td>
        <td class="py-2 pr-4">{{ classes[r.class] }}</td>
        <td class="py-2 pr-4">{{ r.revision }}</td>
        <td class="py-2 pr-4">{{ sayDay(r.added_at) }}</td>
        <td class="py-2">{{ r.draft ? 'Draft' : r.target ? 'Target' : '' }}</td>
      </tr>
    </tbody>
  </table>
</template>
