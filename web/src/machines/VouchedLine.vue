<script setup lang="ts">
import AppButton from '../ui/AppButton.vue'
import { ref } from 'vue'

import { api, ask, type Schemas } from '../client'
import { useAction } from '../use/useAction'

const props = defineProps<{ machine: Schemas['Machine']; may: boolean }>()
const emit = defineEmits<{ changed: [] }>()
const asked = ref(false)
const reason = ref('')
const { trouble, run } = useAction()

const rekey = () =>
  run(async () => {
    await ask(
      api.POST('/machines/{key}/key', {
        params: { path: { key: props.machine.key } },
        body: { reason: reason.value },
      }),
    )
    asked.value = false
    reason.value = ''
    emit('changed')
  })
</script>

<template>
  <div class="mb-6 text-sm text-soft" data-vouched>
    {{ machine.vouched }}
    <AppButton v-if="may && machine.keyed && !asked" kind="link" class="no-print" @click="asked = true">
      Replace key
    </AppButton>
    <form v-if="asked" class="mt-2 flex flex-wrap items-end gap-3" @submit.prevent="rekey">
      <label
        >Reason for the new key
        <input
          v-model="reason"
          required
          maxlength="500"
          class="entry block w-72"
          placeholder="its disk was replaced"
        />
      </label>
      <AppButton small type="submit">Replace key</AppButton>
    </form>
    <p v-if="trouble" role="alert" class="text-replace">{{ trouble }}</p>
  </div>
</template>
