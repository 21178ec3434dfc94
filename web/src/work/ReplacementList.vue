<script setup lang="ts">
import { useQuery } from '@pinia/colada'
import { ref } from 'vue'

import { api, ask } from '../client'
import { queries } from '../queries'
import { useAction } from '../use/useAction'
import AppButton from '../ui/AppButton.vue'

/** Which new machine takes the place of which old one. */
defineProps<{ may: boolean }>()
const { data, refetch } = useQuery(() => queries.replacements())
const { busy, trouble, run } = useAction()
const old = ref('')
const name = ref('')
const add = () =>
  run(async () => {
    await ask(
      api.PUT('/machines/{key}/replacement', {
        params: { path: { key: old.value.trim() } },
        body: { new_name: name.value },
      }),
    )
    old.value = name.value = ''
    await refetch()
  })
const remove = (key: string) =>
  run(async () => {
    await ask(api.DELETE('/machines/{key}/replacement', { params: { path: { key } } }))
    await refetch()
  })
const machine = (key: string) => ({ name: 'machine', params: { machine: key } })
</script>

<template>
  <section v-if="may || data?.replacements.length" aria-labelledby="replacements" class="mt-8">
    <h2 id="replacements" class="mb-2 border-b border-line pb-1.5 font-semibold">Replacements</h2>
    <ul class="text-sm">
      <li v-for="r in data?.replacements" :key="r.old.key" class="border-t border-line/60 py-1.5">
        <RouterLink :to="machine(r.old.key)" class="font-semibold underline-offset-2 hover:underline">{{
          r.old.name
        }}</RouterLink>
        <span aria-hidden="true"> → </span><span class="sr-only"> is replaced by </span>
        <RouterLink
          v-if="r.new?.key"
          :to="machine(r.new.key)"
          class="font-semibold underline-offset-2 hover:underline"
          >{{ r.new_name }}</RouterLink><b v-else>{{ r.new_name }}</b>
        <span class="text-soft"> · {{ r.says }}{{ r.note ? ` ${r.note}` : '' }}</span>
        <AppButton
          v-if="may"
          kind="link"
          small
          class="no-print ml-2"
          :disabled="busy"
          :aria-label="`Remove the replacement of ${r.old.name}`"
          @click="remove(r.old.key)"
          >Remove</AppButton
        >
      </li>
    </ul>
    <form v-if="may" class="no-print mt-2 flex flex-wrap items-end gap-3 text-sm" @submit.prevent="add">
      <label class="text-soft"
        >Old machine
        <input v-model="old" required maxlength="80" class="entry block w-36" placeholder="gull-001" />
      </label>
      <label class="text-soft"
        >Name of the new machine
        <input v-model="name" required maxlength="100" class="entry block w-36" placeholder="GULL-041" />
      </label>
      <AppButton small type="submit" :disabled="busy">Record replacement</AppButton>
      <p v-if="trouble" role="alert" class="basis-full text-replace">{{ trouble }}</p>
    </form>
  </section>
</template>
