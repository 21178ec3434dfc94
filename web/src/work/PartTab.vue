<script setup lang="ts">
import { ref } from 'vue'

import { api, ask, type Schemas } from '../client'
import AppButton from '../ui/AppButton.vue'
import { count, number } from '../words'
import { useAction } from '../use/useAction'
import OrderForm from './OrderForm.vue'
import OrderList from './OrderList.vue'
import ReplacementList from './ReplacementList.vue'

defineProps<{ work: Schemas['Work']; may: boolean }>()
const emit = defineEmits<{ changed: [] }>()
const { says, trouble, run } = useAction()
/** The part that is ordered, or whose machines are shown. */
const open = ref('')
const ordering = ref('')
const list = (where: string) => ({ name: 'machines', query: { where } })
/** What a number field says, if it is a whole number that may be. */
const whole = (e: Event) => {
  const n = Number((e.target as HTMLInputElement).value)
  return Number.isInteger(n) && n >= 0 ? n : undefined
}
const put = (l: Schemas['OrderLine'], onHand: number | undefined, days: number | undefined) =>
  run(async () => {
    if (onHand === undefined || days === undefined) throw new Error('Enter a whole number, 0 or more.')
    await ask(api.PUT('/work/stock', { body: { part: l.part, on_hand: onHand, lead_days: days } }))
    emit('changed')
    return `${l.part}: ${number(onHand)} on hand${days ? `, the rest takes ${count(days, 'day', 'days')}` : ''}.`
  })
const field = 'w-16 rounded-md border border-line bg-card px-1.5 py-0.5 text-right'
</script>

<template>
  <p v-if="work.order.length === 0" class="text-soft">No parts to buy.</p>
  <template v-else>
    <p class="mb-3 max-w-[75ch]">
      The parts to order cost {{ work.cost.says }}; labour of the visits: {{ work.labour.says }}. The stock is
      one for the whole fleet and gives each part once, first to the machine whose visit or end of support
      comes first.
    </p>
    <p v-if="says" role="status" class="mb-2 text-sm text-ready">{{ says }}</p>
    <p v-if="trouble" role="alert" class="mb-2 text-sm text-replace">{{ trouble }}</p>
    <div class="overflow-x-auto">
      <table class="w-full text-left text-sm">
        <thead class="text-soft">
          <tr>
            <th scope="col" class="py-1 pr-3 font-normal">Part</th>
            <th scope="col" class="py-1 pr-3 text-right font-normal">Needed</th>
            <th scope="col" class="py-1 pr-3 text-right font-normal">On hand</th>
            <th scope="col" class="py-1 pr-3 text-right font-normal">From stock</th>
            <th scope="col" class="py-1 pr-3 text-right font-normal">To order</th>
            <th scope="col" class="py-1 pr-3 text-right font-normal">Ordered</th>
            <th scope="col" class="py-1 pr-3 text-right font-normal">Arrived</th>
            <th scope="col" class="py-1 pr-3 text-right font-normal">Lead days</th>
            <th scope="col" class="py-1 pr-3 font-normal">Price</th>
            <th scope="col" class="py-1 font-normal">Before ordering</th>
          </tr>
        </thead>
        <tbody>
          <template v-for="l in work.order" :key="l.part">
            <tr class="border-t border-line/60 align-baseline">
              <th scope="row" class="py-1.5 pr-3 font-normal">
                {{ l.part }}
                <span class="no-print block text-[13px]">
                  <AppButton
                    kind="link"
                    small
                    :aria-expanded="open === l.part"
                    :aria-label="`${open === l.part ? 'Hide' : 'Show'} machines: ${l.part}`"
                    @click="open = open === l.part ? '' : l.part"
                    >{{ open === l.part ? 'Hide machines' : 'Show machines' }}</AppButton
                  >
                  <AppButton
                    v-if="may && l.to_order"
                    kind="link"
                    small
                    class="ml-3"
                    :aria-label="`Record order: ${l.part}`"
                    @click="ordering = ordering === l.part ? '' : l.part"
                    >Record order</AppButton
                  >
                </span>
              </th>
              <td class="py-1.5 pr-3 text-right">
                <RouterLink
                  :to="list(l.where)"
                  class="font-semibold underline-offset-2 hover:underline"
                  :aria-label="`${l.quantity} for ${l.machines} machines`"
                  >{{ number(l.quantity) }}</RouterLink
                >
              </td>
              <td class="py-1 pr-3 text-right">
                <input
                  v-if="may"
                  type="number"
                  min="0"
                  :value="l.on_hand"
                  :aria-label="`On hand: ${l.part}`"
                  :class="field"
                  @change="put(l, whole($event), l.lead_days ?? 0)"
                />
                <template v-else>{{ number(l.on_hand) }}</template>
              </td>
              <td class="py-1.5 pr-3 text-right">{{ l.from_stock || '' }}</td>
              <td class="py-1.5 pr-3 text-right font-semibold">{{ number(l.to_order) }}</td>
              <td class="py-1.5 pr-3 text-right">{{ l.ordered || '' }}</td>
              <td class="py-1.5 pr-3 text-right">{{ l.arrived + l.fitted || '' }}</td>
              <td class="py-1 pr-3 text-right">
                <input
                  v-if="may"
                  type="number"
                  min="0"
                  :value="l.lead_days || ''"
                  placeholder="?"
                  :aria-label="`Lead days: ${l.part}`"
                  :class="field"
                  @change="put(l, l.on_hand, whole($event))"
                />
                <template v-else>{{ l.lead_days || '' }}</template>
              </td>
              <td class="py-1.5 pr-3 whitespace-nowrap">{{ l.price.says }}</td>
              <td class="py-1.5">
                <span v-if="l.confirm" class="block text-refit"
                  >Confirm {{ l.confirm === l.quantity ? '' : `${l.confirm} of them ` }}in the maker’s
                  manual</span
                >
                <span v-if="l.ends_warranty" class="block text-refit"
                  >Installing it voids {{ count(l.ends_warranty, 'warranty', 'warranties') }}</span
                >
              </td>
            </tr>
            <tr v-if="ordering === l.part || open === l.part">
              <td colspan="10" class="pb-3 pl-4">
                <OrderForm
                  v-if="ordering === l.part"
                  :part="l.part"
                  :where="work.where"
                  :to-order="l.to_order"
                  @changed="emit('changed')"
                  @done="ordering = ''"
                />
                <ul v-if="open === l.part" class="text-sm sm:columns-2">
                  <li v-for="s in l.shares" :key="s.key" class="break-inside-avoid py-0.5">
                    <RouterLink
                      :to="{ name: 'machine', params: { machine: s.key } }"
                      class="font-semibold underline-offset-2 hover:underline"
                      >{{ s.name }}</RouterLink
                    >
                    <span class="text-soft"> {{ s.site }}: {{ s.says }}</span>
                  </li>
                  <li v-if="l.machines > l.shares.length" class="py-0.5">
                    <RouterLink :to="list(l.where)" class="underline-offset-2 hover:underline"
                      >and
                      {{ count(l.machines - l.shares.length, 'more machine', 'more machines') }}</RouterLink
                    >
                  </li>
                </ul>
              </td>
            </tr>
          </template>
        </tbody>
      </table>
    </div>
  </template>
  <OrderList :may="may" @changed="emit('changed')" />
  <ReplacementList :may="may" />
</template>
