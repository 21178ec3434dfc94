<script setup lang="ts">
import type { Schemas } from '../client'
import { number } from '../words'
import DispositionMark from '../ui/DispositionMark.vue'

defineProps<{ machines: Schemas['ChangedMachine'][]; moved: number }>()
</script>

<template>
  <div class="overflow-x-auto">
    <table class="mt-2 w-full text-left text-sm">
      <thead class="text-soft">
        <tr>
          <th scope="col" class="py-1 pr-3 font-normal">Machine</th>
          <th scope="col" class="py-1 pr-3 font-normal">Was</th>
          <th scope="col" class="py-1 pr-3 font-normal">Becomes</th>
          <th scope="col" class="py-1 font-normal">By</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="f in machines" :key="f.key" class="border-t border-line/60 align-baseline">
          <th scope="row" class="py-1 pr-3 font-normal">
            <RouterLink
              :to="{ name: 'machine', params: { machine: f.key } }"
              class="font-semibold underline-offset-2 hover:underline"
              >{{ f.name }}</RouterLink
            >
            <span class="ml-2 text-soft">{{ f.site }}</span>
          </th>
          <td class="py-1 pr-3"><DispositionMark :of="f.was" /></td>
          <td class="py-1 pr-3"><DispositionMark :of="f.becomes" /></td>
          <td class="py-1">{{ f.by.join(', ') }}</td>
        </tr>
      </tbody>
    </table>
  </div>
  <p v-if="moved > machines.length" class="mt-2 text-sm text-soft">
    The first {{ number(machines.length) }} of {{ number(moved) }} are shown.
  </p>
</template>
