<script setup lang="ts">
import { Disclosure, DisclosureButton, DisclosurePanel } from '@headlessui/vue'
import { useQuery } from '@pinia/colada'
import { computed } from 'vue'

import { queries } from '../queries'
import TroubleBox from '../ui/TroubleBox.vue'
import { usePermissions } from '../use/usePermissions'
import CheckBeside from './CheckBeside.vue'
import DeviceAnswer from './DeviceAnswer.vue'
import DeviceDecisions from './DeviceDecisions.vue'
import DeviceFindings from './DeviceFindings.vue'
import DeviceHead from './DeviceHead.vue'
import DeviceHistory from './DeviceHistory.vue'
import DeviceInventory from './DeviceInventory.vue'
import DeviceLeaving from './DeviceLeaving.vue'
import PlanList from './PlanList.vue'
import ReleasesBeside from './ReleasesBeside.vue'

const props = defineProps<{ machine: string }>()
const { data: device, error, refetch } = useQuery(() => queries.device(props.machine))
const { works: may } = usePermissions()
const check = computed(() => device.value?.check)
</script>

<template>
  <TroubleBox v-if="error" :error="error" @again="refetch()" />
  <p v-else-if="!device" role="status" class="text-soft">Checking the machine…</p>
  <template v-else>
    <DeviceHead :device="device" :may="may" @changed="refetch()" />
    <template v-if="check">
      <DeviceAnswer :device="device" :check="check" :may="may" @changed="refetch()" />

      <div class="grid gap-x-9 gap-y-8 lg:grid-cols-[7fr_5fr]">
        <div class="max-lg:contents">
          <DeviceFindings :check="check" />

          <CheckBeside
            class="max-lg:order-2"
            :check="check"
            :machine="device.key"
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
            <PlanList :check="check" :machine="device.key" :may="may" @said="refetch()" />
          </section>
        </div>
      </div>
      <ReleasesBeside :machine="device.key" :check="check" />
      <DeviceDecisions :device="device" :may="may" @changed="refetch()" />
      <DeviceLeaving :device="device" :may="may" @changed="refetch()" />
    </template>
    <template v-else>
      <h1 class="mb-1 text-[27px] leading-tight font-semibold">{{ device.name }}</h1>
      <p class="mb-6">{{ device.no_check }}</p>
    </template>
    <DeviceInventory :device="device" :may="may" @changed="refetch()" />
    <DeviceHistory :device="device" />
  </template>
</template>
