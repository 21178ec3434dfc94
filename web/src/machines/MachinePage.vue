<script setup lang="ts">
import { Disclosure, DisclosureButton, DisclosurePanel } from '@headlessui/vue'
import { useQuery } from '@pinia/colada'
import { computed } from 'vue'

import { queries } from '../queries'
import TroubleBox from '../ui/TroubleBox.vue'
import { usePermissions } from '../use/usePermissions'
import CheckBeside from './CheckBeside.vue'
import MachineAnswer from './MachineAnswer.vue'
import MachineDecisions from './MachineDecisions.vue'
import MachineFindings from './MachineFindings.vue'
import MachineHead from './MachineHead.vue'
import MachineStanding from './MachineStanding.vue'
import MachineHistory from './MachineHistory.vue'
import MachineInventory from './MachineInventory.vue'
import MachineLeaving from './MachineLeaving.vue'
import PlanList from './PlanList.vue'
import ReleasesBeside from './ReleasesBeside.vue'

const props = defineProps<{ machine: string }>()
const { data: machine, error, refetch } = useQuery(() => queries.machine(props.machine))
const { works: may } = usePermissions()
const check = computed(() => machine.value?.check)
</script>

<template>
  <TroubleBox v-if="error" :error="error" @again="refetch()" />
  <p v-else-if="!machine" role="status" class="text-soft">Checking the machine…</p>
  <template v-else>
    <MachineHead :machine="machine" :may="may" @changed="refetch()" />
    <MachineStanding :machine="machine" :may="may" @changed="refetch()" />
    <template v-if="check">
      <MachineAnswer :machine="machine" :check="check" :may="may" @changed="refetch()" />

      <div class="grid gap-x-9 gap-y-8 lg:grid-cols-[7fr_5fr]">
        <div class="max-lg:contents">
          <MachineFindings :check="check" />

          <CheckBeside
            class="max-lg:order-2"
            :check="check"
            :machine="machine.key"
            :may="may"
            @said="refetch()"
          />
        </div>
        <div class="max-lg:order-1">
          <section v-if="check.decide" aria-labelledby="decide" class="mb-7">
            <h2 id="decide" class="border-b border-line pb-1.5 font-semibold">To decide</h2>
            <ul class="mt-2 list-disc space-y-1 pl-5">
              <li v-for="w in check.decide.says" :key="w">{{ w }}</li>
            </ul>
            <Disclosure v-if="check.decide.step">
              <DisclosureButton class="mt-2 cursor-pointer text-sm text-accent underline underline-offset-2"
                >Show a step of your own</DisclosureButton
              >
              <DisclosurePanel>
                <pre class="card mt-2 overflow-x-auto p-3 text-[13px]" tabindex="0">{{
                  check.decide.step
                }}</pre>
              </DisclosurePanel>
            </Disclosure>
          </section>
          <section v-if="check.plan.length" aria-labelledby="plan">
            <h2 id="plan" class="mb-3 border-b border-line pb-1.5 font-semibold">The plan, in this order</h2>
            <PlanList :check="check" :machine="machine.key" :may="may" @said="refetch()" />
          </section>
        </div>
      </div>
      <ReleasesBeside :machine="machine.key" :check="check" />
      <MachineDecisions :machine="machine" :may="may" @changed="refetch()" />
      <MachineLeaving :machine="machine" :may="may" @changed="refetch()" />
    </template>
    <template v-else>
      <h1 class="mb-1 text-[27px] leading-tight font-semibold">{{ machine.name }}</h1>
      <p class="mb-6">{{ machine.no_check }}</p>
    </template>
    <MachineInventory :machine="machine" :may="may" @changed="refetch()" />
    <MachineHistory :machine="machine" />
  </template>
</template>
