<script setup lang="ts">
import AppButton from '../ui/AppButton.vue'
import { useQuery } from '@pinia/colada'
import { ref } from 'vue'
import { useRouter } from 'vue-router'

import { api, ask, ifUnchanged, type Schemas } from '../client'
import { queries } from '../queries'
import { confirm } from '../ui/confirm'
import { useAction } from '../use/useAction'

const props = defineProps<{ where: string; sort: string; facts: string[]; may: boolean }>()
const router = useRouter()
const { data, refetch } = useQuery(queries.filters())
const name = ref('')
const saving = ref(false)
const { trouble, run } = useAction()

function open(f: Schemas['SavedFilter']) {
  const query: Record<string, string> = {}
  if (f.filter) query.where = f.filter
  if (f.sort && f.sort !== 'name') query.sort = f.sort
  if (f.facts?.length) query.columns = f.facts.join(',')
  router.push({ name: 'machines', query })
}
const save = () =>
  run(async () => {
    const params = { path: { name: name.value } }
    const all = await ask(api.GET('/filters'))
    const there = all.filters.some((f) => f.name === name.value)
    const was = there ? await ask(api.GET('/filters/{name}', { params })) : undefined
    if (
      was &&
      !(await confirm({
        title: `Replace the filter ${was.name}?`,
        text: `It is ${was.filter}, saved by ${was.by}.`,
        action: 'Replace filter',
      }))
    )
      return
    await ask(
      api.PUT('/filters/{name}', {
        params,
        headers: ifUnchanged(was),
        body: { filter: props.where, sort: props.sort, facts: props.facts.length ? props.facts : undefined },
      }),
    )
    saving.value = false
    name.value = ''
    await refetch()
  })
const drop = (f: string) =>
  run(async () => {
    await ask(api.DELETE('/filters/{name}', { params: { path: { name: f } } }))
    await refetch()
  })
</script>

<template>
  <div
    v-if="data?.filters.length || may"
    class="no-print mb-3 flex flex-wrap items-center gap-x-3 gap-y-1.5 text-sm"
  >
    <span v-if="data?.filters.length" id="saved" class="text-soft">Saved:</span>
    <ul class="contents" aria-labelledby="saved">
      <li v-for="f in data?.filters" :key="f.name" class="flex items-center gap-1">
        <button
          type="button"
          class="cursor-pointer underline underline-offset-2"
          :class="f.filter === where ? 'font-semibold' : ''"
          :title="`${f.filter} · by ${f.by}`"
          @click="open(f)"
        >
          {{ f.name }}
        </button>
        <button
          v-if="may && f.filter === where"
          type="button"
          class="cursor-pointer text-soft hover:text-ink"
          :aria-label="`Remove ${f.name}`"
          @click="drop(f.name)"
        >
          ×
        </button>
      </li>
    </ul>
    <button
      v-if="may && !saving && where"
      type="button"
      class="cursor-pointer text-soft underline underline-offset-2 hover:text-ink"
      @click="saving = true"
    >
      Save this filter
    </button>
    <form
      v-if="saving"
      class="flex items-center gap-1.5"
      @submit.prevent="save"
      @keydown.esc="saving = false"
    >
      <label for="filter-name" class="text-soft">Name</label>
      <input
        id="filter-name"
        v-model="name"
        required
        maxlength="100"
        autofocus
        class="w-44 rounded-md border border-line bg-card px-2 py-0.5"
      />
      <AppButton small type="submit">Save filter</AppButton>
    </form>
    <span v-if="trouble" role="alert" class="text-replace">{{ trouble }}</span>
  </div>
</template>
