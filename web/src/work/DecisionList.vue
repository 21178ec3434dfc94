<script setup lang="ts">
import AppButton from '../ui/AppButton.vue'

import { api, ask, type Schemas } from '../client'
import { number } from '../words'
import { confirm } from '../ui/confirm'
import { useAction } from '../use/useAction'

const props = defineProps<{
  decisions: Schemas['Decision'][]
  may: boolean
  manages: boolean
  /** On a machine's page the number of machines says nothing. */
  one?: boolean
}>()
const emit = defineEmits<{ changed: [] }>()
const names: Record<Schemas['Decision']['kind'], string> = {
  waive: 'Waiver',
  stay: 'Stays',
  hold: 'On hold',
  later: 'Postponed',
}
const { trouble, run } = useAction()
async function end(d: Schemas['Decision']) {
  const yes = await confirm({
    title: 'End this decision?',
    text: 'The decision is no longer in force. It stays in the list.',
    action: 'End decision',
  })
  if (!yes) return
  await run(async () => {
    await ask(api.DELETE('/decisions/{id}', { params: { path: { id: d.id } } }))
    emit('changed')
  })
}
const mayEnd = (d: Schemas['Decision']) => props.may && (props.manages || d.kind === 'later')
</script>

<template>
  <ul>
    <li v-for="d in decisions" :key="d.id" class="border-b border-line/60 py-2">
      <p>
        <b>{{ names[d.kind] }}</b> <span class="text-soft">· {{ d.says }}</span>
      </p>
      <p class="flex flex-wrap gap-x-4 text-sm text-soft">
        <template v-if="!one">
          <RouterLink
            :to="{ name: 'machines', query: { where: d.where } }"
            class="font-semibold text-ink underline-offset-2 hover:underline"
            >{{ d.machines === 1 ? 'One machine' : `${number(d.machines)} machines` }}</RouterLink
          >
          <code class="wrap-anywhere">{{ d.scope }}</code>
        </template>
        <AppButton v-if="mayEnd(d)" kind="link" :aria-label="`End it: ${d.says}`" @click="end(d)">
          End it
        </AppButton>
      </p>
    </li>
  </ul>
  <p v-if="trouble" role="alert" class="text-sm text-replace">{{ trouble }}</p>
</template>
