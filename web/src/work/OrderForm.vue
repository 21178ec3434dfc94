<script setup lang="ts">
import { ref } from 'vue'

import { api, ask } from '../client'
import { useAction } from '../use/useAction'
import AppButton from '../ui/AppButton.vue'
import { confirm } from '../ui/confirm'
import { capital, count } from '../words'

/** Records an order that was placed: who delivers which part, for the machines that still need it. */
const props = defineProps<{ part: string; where?: string; toOrder: number }>()
const emit = defineEmits<{ changed: []; done: [] }>()
const order = ref('')
const supplier = ref('')
const expected = ref('')
const price = ref('')
const sure = ref(false)
const { busy, says, trouble, run } = useAction()
function cents() {
  if (!price.value) return undefined
  const n = Number(price.value)
  if (!Number.isFinite(n) || n < 0) throw new Error(`${price.value} is not a price; write it as 21.50.`)
  return Math.round(n * 100)
}
const send = (dryRun: boolean) =>
  ask(
    api.POST('/orders', {
      body: {
        number: order.value,
        part: props.part,
        where: props.where || undefined,
        supplier: supplier.value || undefined,
        expected: expected.value || undefined,
        price: cents(),
        confirm_price: sure.value || undefined,
        dry_run: dryRun || undefined,
      },
    }),
  )
async function place() {
  const ok = await run(async () => {
    const trial = await send(true)
    const yes = await confirm({
      title: `Record order ${trial.number}?`,
      text: `${trial.says} ${capital(trial.machines.map((m) => m.name).join(', '))}.`,
      action: `Record for ${count(trial.count, 'machine', 'machines')}`,
    })
    if (!yes) return 'Nothing was recorded.'
    const got = await send(false)
    emit('changed')
    return got.says
  })
  if (ok && says.value !== 'Nothing was recorded.') emit('done')
}
</script>

<template>
  <form
    class="no-print mb-2 flex flex-wrap items-end gap-x-3 gap-y-2 rounded-md border border-line p-3 text-sm"
    :aria-label="`Record an order of ${part}`"
    @submit.prevent="place"
  >
    <label class="text-soft"
      >Number of the order
      <input v-model="order" required maxlength="60" placeholder="T-104" class="entry block w-32" />
    </label>
    <label class="text-soft"
      >Supplier
      <input v-model="supplier" maxlength="100" class="entry block w-44" />
    </label>
    <label class="text-soft"
      >Expected on <input v-model="expected" type="date" class="entry block w-36" />
    </label>
    <label class="text-soft"
      >Price of one
      <input v-model="price" inputmode="decimal" placeholder="21.50" class="entry block w-24" />
    </label>
    <label class="flex items-center gap-1 text-soft">
      <input v-model="sure" type="checkbox" /> the price is right
    </label>
    <AppButton small type="submit" :disabled="busy">Record order of {{ toOrder }}</AppButton>
    <p class="basis-full text-soft">The number “stock” takes the parts from the stock instead.</p>
    <p v-if="says" role="status" class="basis-full text-ready">{{ says }}</p>
    <p v-if="trouble" role="alert" class="basis-full text-replace">{{ trouble }}</p>
  </form>
</template>
