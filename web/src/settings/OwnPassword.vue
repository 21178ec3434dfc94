<script setup lang="ts">
import AppButton from '../ui/AppButton.vue'
import { ref } from 'vue'

import { api, ask, signedOut } from '../client'
import { useAction } from '../use/useAction'

/** Changes one's own password; that signs out everywhere. */
const old = ref('')
const fresh = ref('')
const { trouble, run } = useAction()

const change = () =>
  run(async () => {
    await ask(api.PUT('/session/password', { body: { old: old.value, new: fresh.value } }))
    window.dispatchEvent(new Event(signedOut))
  })
</script>

<template>
  <form class="max-w-md space-y-3" @submit.prevent="change">
    <p class="text-soft">Afterwards you are signed out everywhere. Sign in with the new password.</p>
    <label class="block text-sm text-soft"
      >Current password
      <input
        v-model="old"
        type="password"
        autocomplete="current-password"
        required
        class="entry block w-64"
      />
    </label>
    <label class="block text-sm text-soft"
      >New password, at least 12 characters
      <input
        v-model="fresh"
        type="password"
        autocomplete="new-password"
        required
        minlength="12"
        class="entry block w-64"
      />
    </label>
    <p v-if="trouble" role="alert" class="text-replace">{{ trouble }}</p>
    <AppButton kind="main" type="submit"> Change password </AppButton>
  </form>
</template>
