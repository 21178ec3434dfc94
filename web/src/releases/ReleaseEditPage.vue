<script setup lang="ts">
import AppButton from '../ui/AppButton.vue'
import { Disclosure, DisclosureButton, DisclosurePanel } from '@headlessui/vue'
import { useQueryCache } from '@pinia/colada'
import { computed, onBeforeUnmount, onMounted, ref, watch } from 'vue'
import { onBeforeRouteLeave, useRoute, useRouter } from 'vue-router'

import { type Bundle, keep, validate } from '../intake/bundle'
import { api, ask, type Schemas } from '../client'
import { queries } from '../queries'
import ChangeList from './ChangeList.vue'
import DocumentEditor from './DocumentEditor.vue'
import WhatIf from './WhatIf.vue'
import ListImport from './ListImport.vue'
import TroubleBox from '../ui/TroubleBox.vue'
import { useJudging } from '../use/useJudging'
import { confirm } from '../ui/confirm'

const props = defineProps<{ id?: string }>()
const route = useRoute()
const router = useRouter()
const cache = useQueryCache()

const document_ = ref('')
const files = ref<Schemas['ReleaseBundleFile'][]>([])
const loaded = ref(false)
const kept = ref('') // what was read, or saved last
const trouble = ref<unknown>()
const saving = ref(false)
const { progress, follow } = useJudging()
const name = ref(props.id ?? '')
const result = ref<Schemas['Validated']>()
const editor = ref<InstanceType<typeof DocumentEditor>>()
const bundle = computed<Bundle>(() => ({
  format: 'rolltop-bundle/1',
  document: document_.value,
  files: files.value,
}))
const changed = computed(() => loaded.value && JSON.stringify(bundle.value) !== kept.value)
const mistakes = computed(() => result.value?.mistakes ?? [])

async function load() {
  trouble.value = undefined
  try {
    const got = props.id
      ? await ask(
          api.GET('/releases/{id}/text', {
            params: { path: { id: props.id }, query: { revision: Number(route.query.revision ?? 0) || 0 } },
          }),
        )
      : await ask(api.GET('/skeleton', { params: { query: { class: 'pc' } } }))
    // The next revision, so that saving does not run into the one that is kept.
    document_.value = props.id
      ? got.document.replace(/^revision:.*$/m, `revision: ${got.latest + 1}`)
      : got.document
    files.value = got.files
    kept.value = JSON.stringify(bundle.value)
    loaded.value = true
    await check()
  } catch (e) {
    trouble.value = e
  }
}
onMounted(load)

let waiting = 0
let asked = 0
async function check() {
  const mine = ++asked
  try {
    const got = await validate(bundle.value)
    if (mine !== asked) return
    result.value = got
    name.value = got.release?.name ?? name.value
  } catch (e) {
    if (mine === asked) trouble.value = e
  }
}
watch([document_, files], () => {
  if (!loaded.value) return
  clearTimeout(waiting)
  waiting = window.setTimeout(check, 400)
})

async function save() {
  saving.value = true
  trouble.value = undefined
  try {
    const got = await follow(() => keep(bundle.value))
    kept.value = JSON.stringify(bundle.value)
    await cache.invalidateQueries({ key: queries.releases().key })
    await cache.invalidateQueries({ key: queries.release(got.id).key.slice(0, 2) })
    await router.push({ name: 'release', params: { id: got.id }, query: { revision: got.revision } })
  } catch (e) {
    trouble.value = e
  } finally {
    saving.value = false
  }
}

function useList(name: string, csv: string) {
  files.value = [...files.value.filter((f) => f.name !== name), { name, text: csv }]
}
function drop(name: string) {
  files.value = files.value.filter((f) => f.name !== name)
}
const rows = (text: string) => Math.max(0, text.trim().split('\n').length - 1)

const warn = (e: BeforeUnloadEvent) => {
  if (changed.value) e.preventDefault()
}
window.addEventListener('beforeunload', warn)
onBeforeUnmount(() => window.removeEventListener('beforeunload', warn))
onBeforeRouteLeave(
  () =>
    !changed.value ||
    confirm({ title: 'Leave without saving?', text: 'Your changes are lost.', action: 'Leave page' }),
)
</script>

<template>
  <h1 class="mb-1 text-[27px] leading-tight font-semibold tracking-tight">
    {{ id ? `Next revision of ${name}` : 'New release document' }}
  </h1>
  <p class="mb-4 max-w-[75ch] text-soft">
    Saving adds a revision; earlier revisions are kept, and results keep their revision. With
    <code>draft: true</code> the revision cannot judge the fleet.
  </p>
  <TroubleBox v-if="trouble" :error="trouble" class="mb-4" @again="loaded ? check() : load()" />
  <p v-if="!loaded && !trouble" role="status" class="text-soft">Loading the document…</p>
  <template v-if="loaded">
    <DocumentEditor ref="editor" v-model="document_" :mistakes="mistakes" />
    <div class="mt-3 flex flex-wrap items-start gap-4">
      <div id="mistakes" role="status" class="min-w-0 flex-1">
        <p v-if="!result" class="text-soft">Checking…</p>
        <p v-else-if="mistakes.length === 0">
          <b>No mistakes.</b> {{ result.release?.name }}, revision {{ result.release?.revision }},
          {{ result.release?.requirements.length }} requirements.
          <span v-if="result.notes?.length" class="mt-1 block text-sm text-soft">
            <span v-for="n in result.notes" :key="n" class="block py-0.5">{{ n }}</span>
          </span>
        </p>
        <template v-else>
          <p class="font-semibold">
            {{ mistakes.length + (result.more ?? 0) }}
            {{ mistakes.length + (result.more ?? 0) === 1 ? 'mistake' : 'mistakes' }}
          </p>
          <ul class="text-sm">
            <li v-for="(m, i) in mistakes" :key="i" class="py-0.5 wrap-anywhere">
              <AppButton v-if="m.line && !m.file" kind="link" @click="editor?.goTo(m.line, m.column ?? 1)">
                Line {{ m.line }}</AppButton
              ><template v-else-if="m.file">{{ m.file }}, line {{ m.line }}</template>
              <code v-if="m.path" class="ml-1 text-soft">{{ m.path }}</code>: {{ m.wrong
              }}<template v-if="m.right">; {{ m.right }}</template>
            </li>
          </ul>
        </template>
      </div>
      <AppButton kind="main" :disabled="saving || !result || mistakes.length > 0" @click="save">
        {{ saving ? progress || 'Saving…' : 'Save revision' }}
      </AppButton>
    </div>

    <section class="mt-7">
      <h2 class="mb-2 border-b border-line pb-1.5 font-semibold">Files of the document</h2>
      <p v-for="f in files" :key="f.name" class="flex items-baseline gap-3 py-0.5">
        <code>{{ f.name }}</code> <span class="text-soft">{{ rows(f.text) }} rows</span>
        <AppButton kind="link" small @click="drop(f.name)"> Remove file </AppButton>
      </p>
      <p v-if="files.length === 0" class="text-soft">
        None. Keep a list with many rows in its own file: import it, then refer to it in the list with
        <code>file:</code>.
      </p>
      <Disclosure v-slot="{ open }">
        <DisclosureButton class="mt-2 cursor-pointer text-accent underline underline-offset-2">{{
          open ? 'Close import' : 'Import a list'
        }}</DisclosureButton>
        <DisclosurePanel class="card mt-3 p-4">
          <ListImport use="Put it beside the document" @use="useList" />
        </DisclosurePanel>
      </Disclosure>
    </section>

    <section v-if="result && mistakes.length === 0" aria-labelledby="what-if" class="mt-7">
      <h2 id="what-if" class="mb-3 border-b border-line pb-1.5 font-semibold">Effect of this revision</h2>
      <WhatIf :about="{ document: JSON.stringify(bundle) }" label="Preview changes" />
    </section>

    <section v-if="id && result?.changes" class="mt-7">
      <h2 class="mb-2 text-lg font-semibold">Changes since the latest revision</h2>
      <ChangeList :changes="result.changes" />
    </section>
  </template>
</template>
