<script setup lang="ts">
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'

import { api, ask, type Schemas } from '../client'
import AppButton from '../ui/AppButton.vue'
import { confirm } from '../ui/confirm'
import { useAction } from '../use/useAction'
import { usePermissions } from '../use/usePermissions'
import { capital, sayMoment } from '../words'
import ResultsView from './ResultsView.vue'

const props = defineProps<{ machine: Schemas['Machine'] }>()
const router = useRouter()
const { manages } = usePermissions()
const { trouble, run } = useAction()
const turned = {
  inventory: 'a new inventory',
  facts: 'facts entered by hand',
  rules: 'other rules',
  proof: 'a proof by its TPM',
}
/** The inventory that decides. */
const latest = computed(() => props.machine.history.find((h) => !h.beside)?.id)
/** The earlier inventory that the work is measured from. */
const since = ref<number>()
async function remove() {
  const { name, key } = props.machine
  const yes = await confirm({
    title: `Remove ${name}?`,
    text: 'Its inventories, facts and ticks are removed permanently.',
    action: 'Remove machine',
  })
  if (!yes) return
  const gone = await run(async () => {
    await ask(api.DELETE('/machines/{key}', { params: { path: { key } } }))
  })
  if (gone) await router.push({ name: 'machines' })
}
</script>

<template>
  <section aria-labelledby="history" class="mt-8">
    <h2 id="history" class="mb-2 border-b border-line pb-1.5 font-semibold">History</h2>
    <ul v-if="machine.changes?.length" class="mb-3 text-sm" aria-label="Disposition over time">
      <li v-for="c in machine.changes" :key="c.at + c.release" class="py-0.5">
        {{ sayMoment(c.at) }}: {{ capital(c.was) }} → <b>{{ capital(c.becomes) }}</b>
        <span class="text-soft"
          >against {{ c.release }}, by {{ turned[c.cause]
          }}{{ c.by?.length ? ` (${c.by.join(', ')})` : '' }}</span
        >
      </li>
    </ul>
    <ul class="text-sm">
      <li v-for="h in machine.history" :key="h.id" class="py-0.5">
        <a
          :href="`/api/v1/machines/${machine.key}/inventory?id=${h.id}`"
          class="underline underline-offset-2"
          >{{ sayMoment(h.last_seen) }}</a
        >
        <span v-if="h.taken_at !== h.last_seen" class="text-soft"
          >, unchanged since {{ sayMoment(h.taken_at) }}</span
        >
        <span v-if="h.beside" class="font-semibold">: from an unknown sender, without effect</span>
        <RouterLink
          v-if="h.id !== latest"
          :to="{ name: 'compare', query: { a: machine.key, inventory_a: h.id, b: machine.key } }"
          class="ml-3 text-accent underline underline-offset-2"
          >Compare with the latest</RouterLink
        >
        <AppButton
          v-if="machine.check && h.id !== latest"
          kind="link"
          :aria-expanded="since === h.id"
          class="ml-3"
          @click="since = since === h.id ? undefined : h.id"
        >
          Results of the work since then
        </AppButton>
        <ResultsView v-if="since === h.id" class="mt-2 mb-3" :machine="machine.key" :inventory="h.id" />
      </li>
    </ul>
    <button
      v-if="manages"
      type="button"
      class="no-print mt-6 cursor-pointer text-sm text-replace underline underline-offset-2"
      @click="remove"
    >
      Remove machine
    </button>
    <p v-if="trouble" role="alert" class="mt-1 text-sm text-replace">{{ trouble }}</p>
  </section>
</template>
