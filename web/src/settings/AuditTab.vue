<script setup lang="ts">
import AppButton from '../ui/AppButton.vue'
import { ref } from 'vue'

import { api, ask, type Schemas } from '../client'
import { sayMoment } from '../words'
import { useAction } from '../use/useAction'

/** What was changed, by whom, the latest first. */
const audit = ref<Schemas['AuditEntry'][]>([])
const next = ref<string>()
const { trouble, run } = useAction()
const loaded = ref(false)

const load = () =>
  run(async () => {
    const page = await ask(api.GET('/audit', { params: { query: { cursor: next.value, size: 100 } } }))
    audit.value.push(...page.entries)
    next.value = page.next
    loaded.value = true
  })
void load()
</script>

<template>
  <p v-if="trouble" role="alert" class="text-replace">{{ trouble }}</p>
  <p v-else-if="!loaded" role="status" class="text-soft">Opening…</p>
  <p v-else-if="!audit.length">No changes yet. Inventories are in the history of each machine.</p>
  <ul v-else class="text-sm">
    <li
      v-for="a in audit"
      :key="a.id"
      class="gap-x-4 border-t border-line/60 py-1.5 md:grid md:grid-cols-[10rem_9rem_15rem_1fr]"
      :data-act="a.what"
    >
      <span class="whitespace-nowrap text-soft">{{ sayMoment(a.at) }}</span>
      <span class="ml-2 font-semibold wrap-anywhere md:ml-0">{{ a.who }}</span>
      <span class="block wrap-anywhere"
        >{{ a.did }} <span class="text-soft">{{ a.subject }}</span></span
      >
      <span class="block wrap-anywhere"
        ><template v-if="a.was"
          ><span class="text-soft">{{ a.was }}</span> → </template
        >{{ a.becomes }}</span
      >
    </li>
  </ul>
  <AppButton v-if="loaded && next" kind="link" class="mt-3" @click="load"> Earlier entries </AppButton>
</template>
