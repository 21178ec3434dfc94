<script setup lang="ts">
import { useQuery } from '@pinia/colada'

import { api, ask, type Schemas } from '../client'
import { queries } from '../queries'
import { useAction } from '../use/useAction'
import AppButton from '../ui/AppButton.vue'
import { confirm } from '../ui/confirm'
import { capital, count } from '../words'

/** The orders that were placed, and what became of their parts. */
defineProps<{ may: boolean }>()
const emit = defineEmits<{ changed: [] }>()
const { data, refetch } = useQuery(() => queries.orders())
const { busy, says, trouble, run } = useAction()
const has = (o: Schemas['Order'], state: string) => o.states.some((s) => s.name === state)
/** The next thing that happens to an order: its parts arrive, then they are fitted. */
const next = (o: Schemas['Order']) =>
  has(o, 'ordered')
    ? { state: 'arrived', title: 'Record arrival' }
    : has(o, 'arrived')
      ? { state: 'fitted', title: 'Record as fitted' }
      : undefined
const send = (o: Schemas['Order'], state: string, dryRun: boolean) =>
  ask(
    api.PUT('/orders/{number}', {
      params: { path: { number: o.number } },
      body: { state, dry_run: dryRun || undefined },
    }),
  )
const set = (o: Schemas['Order'], state: string, title: string) =>
  run(async () => {
    const trial = await send(o, state, true)
    const yes = await confirm({
      title: `${title} of order ${o.number}?`,
      text: `${trial.says} ${capital(trial.machines.map((m) => m.name).join(', '))}.`,
      action: title,
    })
    if (!yes) return 'Nothing was changed.'
    const got = await send(o, state, false)
    await refetch()
    emit('changed')
    return got.says
  })
</script>

<template>
  <section v-if="data?.orders.length" aria-labelledby="orders" class="mt-8">
    <h2 id="orders" class="mb-2 border-b border-line pb-1.5 font-semibold">Orders</h2>
    <p v-if="says" role="status" class="mb-2 text-sm text-ready">{{ says }}</p>
    <p v-if="trouble" role="alert" class="mb-2 text-sm text-replace">{{ trouble }}</p>
    <ul class="text-sm">
      <li
        v-for="o in data.orders"
        :key="o.number"
        class="grid gap-x-5 border-t border-line/60 py-2 sm:grid-cols-[7rem_minmax(0,1fr)_auto]"
      >
        <RouterLink
          :to="{ name: 'machines', query: { where: o.where } }"
          class="font-semibold underline-offset-2 hover:underline"
          :aria-label="`Machines of order ${o.number}`"
          >{{ o.number === 'stock' ? 'From stock' : o.number }}</RouterLink
        >
        <div>
          <p>
            <span :class="o.late ? 'text-refit' : ''">{{ o.says }}</span>
          </p>
          <p class="text-soft">
            {{ o.supplier ? `${o.supplier}, ` : '' }}placed on {{ o.day
            }}{{ o.expected ? `, expected on ${o.expected}` : '' }}; {{ o.cost.says }}
          </p>
        </div>
        <AppButton
          v-if="may && next(o)"
          small
          class="no-print self-start"
          :disabled="busy"
          :aria-label="`${next(o)!.title} of order ${o.number}, ${count(o.machines, 'machine', 'machines')}`"
          @click="set(o, next(o)!.state, next(o)!.title)"
          >{{ next(o)!.title }}</AppButton
        >
      </li>
    </ul>
  </section>
</template>
