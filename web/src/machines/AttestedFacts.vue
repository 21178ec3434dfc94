<script setup lang="ts">
import type { Schemas } from '../client'
import { sayMoment } from '../words'

/** What the machine's TPM proved, fact by fact, beside what its system reports. */
defineProps<{ attested: Schemas['Attestation'] }>()
const short = (name: string) => name.slice(0, 16)
</script>

<template>
  <details
    v-if="attested.facts?.length"
    class="mb-6 text-sm"
    :open="attested.state === 'contradicted'"
    data-attested
  >
    <summary class="cursor-pointer underline underline-offset-2">What its TPM attested</summary>
    <table class="mt-2">
      <thead>
        <tr class="text-left text-soft">
          <th scope="col" class="pr-4 font-normal">Fact</th>
          <th scope="col" class="pr-4 font-normal">By the TPM</th>
          <th scope="col" class="font-normal">By the system</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="f in attested.facts" :key="f.fact" :class="{ 'font-semibold': f.reported }">
          <th scope="row" class="pr-8 text-left font-normal">{{ f.label }}</th>
          <td class="pr-8">{{ f.value }}</td>
          <td>{{ f.reported || 'the same' }}</td>
        </tr>
      </tbody>
    </table>
    <details v-if="attested.measured" class="mt-2">
      <summary class="cursor-pointer underline underline-offset-2">What else the firmware measured</summary>
      <dl class="mt-1 grid max-w-2xl grid-cols-[auto_1fr] gap-x-4">
        <template v-for="m in attested.measured" :key="m.label">
          <dt class="text-soft">{{ m.label }}</dt>
          <dd class="break-words">{{ m.value }}</dd>
        </template>
      </dl>
    </details>
    <p class="mt-2 text-soft">
      TPM {{ short(attested.tpm ?? '') }}, key {{ short(attested.key ?? '')
      }}<template v-if="attested.at">, {{ sayMoment(attested.at) }}</template
      >. The firmware measured these values into the TPM while the machine started.
    </p>
  </details>
</template>
