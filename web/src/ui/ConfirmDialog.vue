<script setup lang="ts">
import AppButton from './AppButton.vue'
import { Dialog, DialogDescription, DialogPanel, DialogTitle } from '@headlessui/vue'
import { ref } from 'vue'

import { asked } from './confirm'

/** What has the focus at first: the answer that changes nothing. */
const cancel = ref<HTMLElement | null>(null)
</script>

<template>
  <Dialog
    v-if="asked"
    :open="true"
    class="relative z-30"
    :initial-focus="cancel"
    @close="asked?.answer(false)"
  >
    <div class="fixed inset-0 bg-ink/40" aria-hidden="true" />
    <div class="fixed inset-0 flex items-center justify-center p-4">
      <DialogPanel class="card w-full max-w-md p-6 shadow-xl">
        <DialogTitle class="mb-2 text-lg font-semibold">{{ asked.title }}</DialogTitle>
        <DialogDescription class="mb-5">{{ asked.text }}</DialogDescription>
        <div class="flex flex-wrap justify-end gap-3">
          <AppButton ref="cancel" @click="asked.answer(false)"> Cancel </AppButton>
          <AppButton kind="main" data-confirm @click="asked.answer(true)">
            {{ asked.action }}
          </AppButton>
        </div>
      </DialogPanel>
    </div>
  </Dialog>
</template>
