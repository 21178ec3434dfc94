<script setup lang="ts">
import AppButton from '../ui/AppButton.vue'
import { useQueryCache } from '@pinia/colada'
import { ref } from 'vue'
import { useRouter } from 'vue-router'

import { api, ask } from '../client'
import { queries } from '../queries'

const cache = useQueryCache()
const router = useRouter()
// The secret stands behind the #, which browsers send to nobody.
const secret = window.location.hash.slice(1)
const name = ref('')
const password = ref('')
const wrong = ref('')
const busy = ref(false)

async function make() {
  wrong.value = ''
  busy.value = true
  try {
    const who = await ask(
      api.POST('/session/first', { body: { secret, name: name.value, password: password.value } }),
    )
    await router.replace('/')
    cache.setQueryData(queries.session().key, who)
  } catch (e) {
    wrong.value = (e as Error).message
  } finally {
    busy.value = false
  }
}
const input = 'mb-4 w-full rounded-lg border border-line bg-paper px-3 py-2'
</script>

<template>
  <main class="grid min-h-screen place-items-center p-5">
    <form class="w-full max-w-sm rounded-xl border border-line bg-card p-7" @submit.prevent="make">
      <h1 class="mb-1 text-2xl font-semibold">First administrator</h1>
      <p class="mb-5 text-soft">
        This link works once. The administrator can do everything, and can add users under Settings.
      </p>
      <p v-if="!secret" role="alert" class="text-replace">
        The link is incomplete. Copy all of it, including the part after #.
      </p>
      <template v-else>
        <label class="mb-1 block font-semibold" for="name">Name</label>
        <input
          id="name"
          v-model="name"
          required
          maxlength="200"
          autocomplete="username"
          autofocus
          :class="input"
        />
        <label class="mb-1 block font-semibold" for="password">Password, at least 12 characters</label>
        <input
          id="password"
          v-model="password"
          required
          minlength="12"
          type="password"
          autocomplete="new-password"
          :class="input"
        />
        <p v-if="wrong" role="alert" class="mb-4 text-replace">{{ wrong }}</p>
        <AppButton kind="main" type="submit" :disabled="busy" class="w-full">
          Create account and sign in
        </AppButton>
      </template>
    </form>
  </main>
</template>
