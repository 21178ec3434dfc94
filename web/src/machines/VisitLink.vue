<script setup lang="ts">
import AppButton from '../ui/AppButton.vue'
import { Dialog, DialogPanel, DialogTitle } from '@headlessui/vue'
import { computed, ref } from 'vue'

import { api, ask, type Schemas } from '../client'
import { sayMoment } from '../words'
import { useAction } from '../use/useAction'

/** Makes a link to the page of the visit, to be read on a phone. */
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
      api.POST('/machines/{key}/visit-link', {
        params: { path: { key: props.machine }, query: { origin: window.location.origin } },
      }),
    )
  })
}
const end = () =>
  run(async () => {
    await ask(api.DELETE('/machines/{key}/visit-link', { params: { path: { key: props.machine } } }))
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
    Visit on a phone
  </button>
  <Dialog :open="open" class="relative z-20" @close="open = false">
    <div class="fixed inset-0 bg-black/40" aria-hidden="true" />
    <div class="fixed inset-0 grid place-items-center overflow-y-auto p-4">
      <DialogPanel class="w-full max-w-md rounded-xl bg-card p-6 text-ink shadow-xl">
        <DialogTitle class="mb-2 text-lg font-semibold">The visit to {{ name }}, on a phone</DialogTitle>
        <p v-if="trouble" role="alert" class="text-replace">{{ trouble }}</p>
        <p v-else-if="!link" role="status" class="text-soft">Creating the link…</p>
        <template v-else>
          <p>
            Scan this before you go to the machine. Anyone with the link can see the steps and record them
            until
            {{ sayMoment(link.expires) }}. The page shows no serial numbers.
          </p>
          <img
            v-if="link.picture"
            :src="link.picture"
            alt="QR code with the address of the visit"
            class="mx-auto my-4 w-56 rounded-md bg-white p-2"
          />
          <p class="text-sm wrap-anywhere">
            <a :href="link.path" target="_blank" class="text-accent underline">{{ link.address }}</a>
          </p>
          <p v-if="local" class="mt-2 text-sm text-replace">
            You opened the console at an address that only this computer can reach. A phone needs the network
            address of the service.
          </p>
        </template>
        <div class="mt-5 flex gap-4">
          <AppButton kind="main" @click="open = false"> Close </AppButton>
          <button v-if="link" type="button" class="cursor-pointer underline" @click="end">
            Remove all links to this visit
          </button>
        </div>
      </DialogPanel>
    </div>
  </Dialog>
</template>
