<script setup lang="ts">
import { useQueryCache } from '@pinia/colada'
import { useRouter } from 'vue-router'

import { api, ask, type Schemas } from '../client'
import AppButton from '../ui/AppButton.vue'
import { confirm } from '../ui/confirm'
import { useAction } from '../use/useAction'
import { useJudging } from '../use/useJudging'

/** Puts a revision in force, after a preview of what that changes. */
const props = defineProps<{ rel: Schemas['Release'] }>()
const cache = useQueryCache()
const router = useRouter()
const { busy, says, trouble, run } = useAction()
const { progress, follow } = useJudging()

const activate = () =>
  run(async () => {
    const { id, revision, name, test_release } = props.rel
    const preview = await ask(api.POST('/what-if', { body: { release: id, revision } }))
    const testing = test_release
      ? ` ${name} is a release for testing: its requirements may still change.`
      : ''
    const yes = await confirm({
      title: `Put ${name}, revision ${revision}, in force?`,
      text: `${preview.says} ${preview.was.name}, revision ${preview.was.revision}, is in force now.${testing}`,
      action: 'Put in force',
    })
    if (!yes) return 'Nothing was changed.'
    const params = { path: { id } }
    const body = { revision, testing: test_release }
    const got = await follow(() => ask(api.POST('/releases/{id}/activate', { params, body })))
    await cache.invalidateQueries()
    if (got.change?.moved) await router.push({ name: 'rule-change', params: { change: got.change.id } })
  })
</script>

<template>
  <div class="mt-4 flex flex-wrap items-center gap-3">
    <AppButton kind="main" :disabled="busy" @click="activate">
      {{ busy ? progress || 'Putting in force…' : `Put revision ${rel.revision} in force` }}
    </AppButton>
    <span class="text-sm text-soft"
      >You see what it changes first, and can go back to an earlier revision.</span
    >
  </div>
  <p v-if="says" role="status" class="mt-2 text-sm">{{ says }}</p>
  <p v-if="trouble" role="alert" class="mt-2 text-replace">{{ trouble }}</p>
</template>
