<script setup lang="ts">
import { useQuery, useQueryCache } from '@pinia/colada'

import { api, ask, type Schemas } from '../client'
import { queries } from '../queries'
import { confirm } from '../ui/confirm'
import { useAction } from '../use/useAction'
import { usePermissions } from '../use/usePermissions'
import { sayMoment } from '../words'

/** The documents of a kind that were in force, each a way back. */
const props = defineProps<{ kind: 'guides' | 'prices' | 'steps' }>()
const cache = useQueryCache()
const { manages } = usePermissions()
const { data } = useQuery(() => queries.knowledgeHistory(props.kind))
const { busy, says, trouble, run } = useAction()

const back = (v: Schemas['KnowledgeVersion']) =>
  run(async () => {
    const yes = await confirm({
      title: `Put number ${v.number} in force again?`,
      text: 'Machines whose verdict depends on it are judged again. The document in force now is kept.',
      action: 'Put in force',
    })
    if (!yes) return
    const params = { path: { kind: props.kind, number: v.number } }
    const got = await ask(api.POST('/knowledge/{kind}/history/{number}/activate', { params }))
    await cache.invalidateQueries()
    return `Number ${v.number} is in force again, as number ${got.number}.`
  })
</script>

<template>
  <details v-if="data && data.versions.length > 1" class="mt-6">
    <summary class="cursor-pointer font-semibold">History: {{ data.versions.length }} documents</summary>
    <ul class="mt-1 text-sm">
      <li
        v-for="v in data.versions"
        :key="v.number"
        class="flex flex-wrap gap-x-4 border-t border-line/60 py-1.5"
      >
        <b>Number {{ v.number }}</b>
        <span>{{ v.own ? 'your own' : 'what the program ships' }}</span>
        <span class="text-soft">{{ sayMoment(v.added_at) }}, by {{ v.added_by }}</span>
        <span v-if="v.in_force" class="ml-auto">in force</span>
        <button
          v-else-if="manages"
          type="button"
          class="ml-auto cursor-pointer underline"
          :aria-label="`Put number ${v.number} in force again`"
          :disabled="busy"
          @click="back(v)"
        >
          Put in force again
        </button>
      </li>
    </ul>
    <p v-if="trouble" role="alert" class="mt-2 text-replace">{{ trouble }}</p>
    <p v-if="says" role="status" class="mt-2 text-ready">{{ says }}</p>
  </details>
</template>
