<script setup lang="ts">
import AppButton from '../ui/AppButton.vue'
import { Dialog, DialogPanel, DialogTitle } from '@headlessui/vue'
import { computed, ref } from 'vue'

import { api, ask, type Schemas } from '../client'
import { sayMoment } from '../words'
import { useAction } from '../use/useAction'

/** Makes a link to the page of the visit, to be read on a telephone. */
const props = defineProps<{ machine: string; name: string }>()
const link = ref<Schemas['VisitLink']>()
const { trouble, run } = useAction()
const open = ref(false)
const local = computed(() => ['127.0.0.1', 'localhost', '[::1]'].includes(window.location.hostname))

async function make() {
  open.value = true
  link.value = undefined
  await run(async () => {
    link.value = await ask(
      api.POST('/devices/{key}/visit-link', {
        params: { path: { key: props.machine }, query: { origin: window.location.origin } },
      }),
    )
  })
}
const end = () =>
  run(async () => {
    await ask(api.DELETE('/devices/{key}/visit-link', { params: { path: { key: props.machine } } }))
    open.value = false
  })
</script>

<template>
  <button
    type="button"
    data-visit
    class="cursor-pointer underline underline-offset-2 hover:text-ink"
    @click="make"
  >
    Visit on a telephone
  </button>
  <Dialog :open="open" class="relative z-20" @close="open = false">
    <div class="fixed inset-0 bg-black/40" aria-hidden="true" />
    <div class="fixed inset-0 grid place-items-center overflow-y-auto p-4">
      <DialogPanel class="w-full max-w-md rounded-xl bg-card p-6 text-ink shadow-xl">
        <DialogTitle class="mb-2 text-lg font-semibold">The visit to {{ name }}, on a telephone</DialogTitle>
        <p v-if="trouble" role="alert" class="text-replace">{{ trouble }}</p>
        <p v-else-if="!link" role="status" class="text-soft">Making the link…</p>
        <template v-else>
          <p>
            Scan this before you go to the machine. Whoever has the link sees the steps, and no serial
            numbers, until {{ sayMoment(link.expires) }}.
          </p>
          <img
            v-if="link.picture"
            :src="link.picture"
            alt="The address of the visit as a square code"
            class="mx-auto my-4 w-56 rounded-md bg-white p-2"
          />
          <p class="text-sm wrap-anywhere">
            <a :href="link.path" target="_blank" class="text-accent underline">{{ link.address }}</a>
          </p>
          <p v-if="local" class="mt-2 text-sm text-replace">
            This console is open under an address of this computer alone. A telephone reaches the service only
            under its address in the network.
          </p>
        </template>
        <div class="mt-5 flex gap-4">
          <AppButton kind="main" @click="open = false"> Close </AppButton>
          <button v-if="link" type="button" class="cursor-pointer underline" @click="end">
            End all links to this visit
          </button>
        </div>
      </DialogPanel>
    </div>
  </Dialog>
</template>
