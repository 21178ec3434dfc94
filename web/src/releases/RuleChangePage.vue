<script setup lang="ts">
import { useQuery } from '@pinia/colada'

import { queries } from '../queries'
import ChangedMachines from './ChangedMachines.vue'
import ShiftList from './ShiftList.vue'
import TroubleBox from '../ui/TroubleBox.vue'
import { number, sayMoment } from '../words'

const props = defineProps<{ change: string }>()
const { data, error, refetch } = useQuery(() => queries.ruleChange(Number(props.change)))
</script>

<template>
  <TroubleBox v-if="error && !data" :error="error" @again="refetch()" />
  <p v-else-if="!data" role="status" class="text-soft">Loading changes…</p>
  <template v-else>
    <h1 class="mb-1 text-[27px] leading-tight font-semibold tracking-tight">{{ data.says }}</h1>
    <p class="mb-5 flex flex-wrap gap-x-4 text-sm text-soft">
      <span
        >In force since {{ sayMoment(data.at) }}; {{ number(data.machines) }} machines were judged
        again.</span
      >
      <RouterLink
        :to="{
          name: 'release',
          params: { id: data.release.id },
          query: data.was.id === data.release.id ? {} : { against: data.was.id },
        }"
        class="link"
        >Current rules</RouterLink
      >
      <RouterLink v-if="data.moved" :to="{ name: 'machines', query: { where: data.where } }" class="link"
        >As a list of machines</RouterLink
      >
    </p>
    <div v-if="data.moved" class="mb-6 grid gap-x-9 gap-y-6 md:grid-cols-2">
      <div>
        <h2 class="mb-1 border-b border-line pb-1 font-semibold">By disposition</h2>
        <ShiftList :shifts="data.shifts" />
      </div>
      <div>
        <h2 class="mb-1 border-b border-line pb-1 font-semibold">By requirement</h2>
        <ul class="text-sm">
          <li v-for="b in data.by" :key="b.name" class="grid grid-cols-[1fr_3rem] py-0.5">
            {{ b.name }} <b class="text-right">{{ number(b.count) }}</b>
          </li>
        </ul>
      </div>
    </div>
    <ChangedMachines v-if="data.changed?.length" :machines="data.changed" :moved="data.moved" />
  </template>
</template>
