<script setup lang="ts">
import AppButton from '../ui/AppButton.vue'
import { useQuery, useQueryCache } from '@pinia/colada'
import { computed, ref, watch } from 'vue'
import { onBeforeRouteLeave, useRoute } from 'vue-router'

import { api, ask, ifUnchanged, type Schemas } from '../client'
import { queries } from '../queries'
import AuditTab from './AuditTab.vue'
import DocumentEditor from '../releases/DocumentEditor.vue'
import KnowledgeHistory from './KnowledgeHistory.vue'
import KeepingTab from './KeepingTab.vue'
import OwnPassword from './OwnPassword.vue'
import PeopleTab from './PeopleTab.vue'
import TroubleBox from '../ui/TroubleBox.vue'
import { usePermissions } from '../use/usePermissions'
import { sayMoment } from '../words'
import { confirm } from '../ui/confirm'
import { useAction } from '../use/useAction'

type Kind = 'steps' | 'guides' | 'prices'
const kinds: { kind: Kind; title: string; about: string; none: string }[] = [
  {
    kind: 'guides',
    title: 'Firmware guides',
    about:
      'The set-up key and the path of each setting, by maker and model of the board. ' +
      'For a board without a guide, plans use general terms.',
    none: 'Only the general guide is in force. Plans with firmware settings say that names differ.',
  },
  {
    kind: 'prices',
    title: 'Prices of parts',
    about: 'Prices of parts in one currency, with their date. Plans include them.',
    none: 'No prices are in force. Plans name parts without prices.',
  },
  {
    kind: 'steps',
    title: 'Steps',
    about: 'Your own steps. A step with the id of a shipped step replaces it.',
    none: 'Plans use the steps that the program ships.',
  },
]
const route = useRoute()
const cache = useQueryCache()
const { manages } = usePermissions()
const kind = computed<Kind>(() => kinds.find((k) => k.kind === route.query.kind)?.kind ?? 'guides')
/** Tabs that are no document. */
const others = computed(() => [
  ...(manages.value
    ? [
        { kind: 'keeping', title: 'Retention and webhooks' },
        { kind: 'people', title: 'Users and tokens' },
        { kind: 'audit', title: 'Audit log' },
      ]
    : []),
  { kind: 'password', title: 'Your password' },
])
const other = computed(() => others.value.find((o) => o.kind === route.query.kind)?.kind)
const tabs = computed(() => [...kinds, ...others.value])
const one = computed(() => kinds.find((k) => k.kind === kind.value)!)
const { data, error, refetch } = useQuery(() => queries.knowledge(kind.value))
const text = ref('')
const saved = ref('')
const mistakes = ref<Schemas['DocMistake'][]>([])
const { busy, says, trouble, run } = useAction()
const editing = ref(false)
watch(
  data,
  (d) => {
    text.value = saved.value = d?.text ?? ''
    editing.value = !!d?.text
    mistakes.value = []
  },
  { immediate: true },
)
watch(kind, () => {
  says.value = trouble.value = ''
})
const changed = computed(() => editing.value && text.value !== saved.value)
onBeforeRouteLeave(
  () =>
    !changed.value ||
    confirm({
      title: 'Leave without saving?',
      text: 'Your changes are lost.',
      action: 'Leave page',
    }),
)

function begin() {
  text.value = data.value?.shipped ?? ''
  editing.value = true
}
const put = () =>
  run(async () => {
    const path = { kind: kind.value }
    const read = await ask(
      api.POST('/knowledge/{kind}/validate', { params: { path }, body: { text: text.value } }),
    )
    mistakes.value = read.mistakes
    if (read.mistakes.length) {
      const found = read.mistakes.length === 1 ? 'One mistake' : `${read.mistakes.length} mistakes`
      throw new Error(`${found}. What was in force stays in force.`)
    }
    const headers = ifUnchanged(data.value)
    await ask(api.PUT('/knowledge/{kind}', { params: { path }, body: { text: text.value }, headers }))
    saved.value = text.value
    await refetch()
    await cache.invalidateQueries()
    return 'It is in force. Plans are made with it from now on.'
  })
const drop = () =>
  run(async () => {
    await ask(api.DELETE('/knowledge/{kind}', { params: { path: { kind: kind.value } } }))
    saved.value = text.value
    await refetch()
    await cache.invalidateQueries()
    return 'Yours is no longer in force; it is kept.'
  })
</script>

<template>
  <h1 class="mb-1 text-[27px] leading-tight font-semibold tracking-tight">Settings</h1>
  <p class="mb-5 text-soft">Knowledge for plans, users and tokens, retention, and the audit log.</p>
  <nav aria-label="Kinds" class="mb-4 flex flex-wrap gap-x-5 border-b border-line">
    <RouterLink
      v-for="k in tabs"
      :key="k.kind"
      :to="{ name: 'settings', query: { kind: k.kind } }"
      :aria-current="k.kind === (other ?? kind) ? 'page' : undefined"
      class="-mb-px border-b-2 pb-1.5"
      :class="
        k.kind === (other ?? kind)
          ? 'border-accent font-semibold'
          : 'border-transparent text-soft hover:text-ink'
      "
      >{{ k.title }}</RouterLink
    >
  </nav>
  <KeepingTab v-if="other === 'keeping'" />
  <PeopleTab v-else-if="other === 'people'" />
  <AuditTab v-else-if="other === 'audit'" />
  <OwnPassword v-else-if="other === 'password'" />
  <TroubleBox v-else-if="error" :error="error" @again="refetch()" />
  <p v-else-if="!data" role="status" class="text-soft">Opening…</p>
  <template v-else>
    <p class="mb-1">{{ one.about }}</p>
    <p class="mb-3 text-sm text-soft">
      <template v-if="data.own && data.added_at"
        >Your document {{ data.number }}, by {{ data.added_by }}, {{ sayMoment(data.added_at) }}.</template
      >
      <template v-else>{{ one.none }}</template>
    </p>
    <template v-if="editing">
      <DocumentEditor v-model="text" :mistakes="mistakes" :label="one.title" />
      <ul id="mistakes" class="sr-only">
        <li v-for="m in mistakes" :key="`${m.line}:${m.column}:${m.wrong}`">
          Line {{ m.line }}: {{ m.wrong }} {{ m.right }}
        </li>
      </ul>
    </template>
    <p v-if="trouble" role="alert" class="mt-3 text-replace">{{ trouble }}</p>
    <p v-if="says" role="status" class="mt-3 text-ready">{{ says }}</p>
    <div v-if="manages" class="mt-3 flex gap-4">
      <AppButton v-if="!editing" kind="main" @click="begin"> Write your own </AppButton>
      <template v-else>
        <AppButton kind="main" :disabled="busy || !changed" @click="put"> Put in force </AppButton>
        <button v-if="data.own" type="button" :disabled="busy" class="cursor-pointer underline" @click="drop">
          Return to what the program ships
        </button>
      </template>
    </div>
    <KnowledgeHistory :key="kind" :kind="kind" />
  </template>
</template>
