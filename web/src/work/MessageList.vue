<script setup lang="ts">
import AppButton from '../ui/AppButton.vue'
import { Dialog, DialogPanel, DialogTitle } from '@headlessui/vue'
import { ref } from 'vue'

import { api, ask, type Schemas } from '../client'
import { count } from '../words'
import { useAction } from '../use/useAction'

/** What to tell the people whose machines are visited: texts to copy into a mail. */
const props = defineProps<{ where: string }>()
const open = ref(false)
const list = ref<Schemas['MessageList']>()
const { trouble, run } = useAction()
const copied = ref('')
async function show() {
  open.value = true
  list.value = undefined
  copied.value = ''
  await run(async () => {
    list.value = await ask(api.GET('/work/messages', { params: { query: { where: props.where } } }))
  })
}
const text = (m: Schemas['Message']) => `${m.subject}\n\n${m.text.join('\n\n')}`
async function copy(m: Schemas['Message']) {
  await navigator.clipboard.writeText(text(m)).catch(() => undefined)
  copied.value = m.key
}
</script>

<template>
  <AppButton kind="link" aria-haspopup="dialog" @click="show"> Messages </AppButton>
  <Dialog :open="open" class="relative z-20" @close="open = false">
    <div class="fixed inset-0 bg-ink/40" aria-hidden="true" />
    <div class="fixed inset-y-0 right-0 w-full max-w-xl overflow-y-auto bg-card p-6 shadow-xl">
      <DialogPanel>
        <div class="mb-3 flex items-baseline gap-4">
          <DialogTitle class="text-lg font-semibold">Messages</DialogTitle>
          <AppButton kind="link" class="ml-auto" @click="open = false"> Close </AppButton>
        </div>
        <p v-if="trouble" role="alert" class="text-replace">{{ trouble }}</p>
        <p v-else-if="!list" role="status" class="text-soft">Loading messages…</p>
        <template v-else>
          <p class="mb-4 text-sm text-soft">
            {{ count(list.messages.length, 'message', 'messages') }} of {{ list.total }}, in plain words: what
            happens, how long it takes, what to have ready.
          </p>
          <article v-for="m in list.messages" :key="m.key" class="mb-5 border-t border-line pt-3">
            <h3 class="flex items-baseline gap-3 font-semibold">
              {{ m.subject }}
              <AppButton
                kind="link"
                small
                :aria-label="`Copy the message about ${m.name}`"
                class="ml-auto font-normal"
                @click="copy(m)"
              >
                {{ copied === m.key ? 'Copied' : 'Copy' }}
              </AppButton>
            </h3>
            <p v-for="(t, i) in m.text" :key="i" class="mt-1.5">{{ t }}</p>
          </article>
        </template>
      </DialogPanel>
    </div>
  </Dialog>
</template>
