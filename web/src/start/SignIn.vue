<script setup lang="ts">
import AppButton from '../ui/AppButton.vue'
import { useQueryCache } from '@pinia/colada'
import { ref } from 'vue'

import { api, ask } from '../client'
import { queries } from '../queries'

const cache = useQueryCache()
const name = ref('')
const password = ref('')
const wrong = ref('')
const busy = ref(false)

async function signIn() {
  wrong.value = ''
  busy.value = true
  try {
    const who = await ask(api.POST('/session', { body: { name: name.value, password: password.value } }))
    cache.setQueryData(queries.session().key, who)
  } catch (e) {
    wrong.value = (e as Error).message
  } finally {
    busy.value = false
  }
}
</script>

<template>
  <main class="grid min-h-screen place-items-center p-5">
    <form class="w-full max-w-sm rounded-xl border border-line bg-card p-7" @submit.prevent="signIn">
      <h1 class="mb-1 flex items-center gap-2 text-2xl font-semibold">
        <img src="/mark.svg" alt="" class="size-7 dark:invert" />Rolltop
      </h1>
      <p class="mb-5 text-soft">Sign in to see which machines can take the target release.</p>
      <label class="mb-1 block font-semibold" for="name">Name</label>
      <input
        id="name"
        v-model="name"
        required
        autocomplete="username"
        autofocus
        class="mb-4 w-full rounded-lg border border-line bg-paper px-3 py-2"
      />
      <label class="mb-1 block font-semibold" for="password">Password</label>
      <input
        id="password"
        v-model="password"
        required
        type="password"
        autocomplete="current-password"
        class="mb-5 w-full rounded-lg border border-line bg-paper px-3 py-2"
      />
      <p v-if="wrong" role="alert" class="mb-4 text-replace">{{ wrong }}</p>
      <AppButton kind="main" type="submit" :disabled="busy" class="w-full"> Sign in </AppButton>
    </form>
  </main>
</template>
