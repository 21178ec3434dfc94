<script setup lang="ts">
import AppButton from '../ui/AppButton.vue'
import { nextTick, ref } from 'vue'

import { api, ask, type Schemas } from '../client'
import { sayMoment } from '../words'
import { useAction } from '../use/useAction'

/** What a person says of an item of preparation or of a step: done, or refused with a reason. */
const props = defineProps<{
  machine: string
  kind: 'prepare' | 'step' | 'leave' | 'after'
  item: string
  title: string
  ticked?: Schemas['AssessTick']
  may: boolean
}>()
const emit = defineEmits<{ said: [] }>()
const refusing = ref(false)
const note = ref('')
const { trouble, run } = useAction()
const field = ref<HTMLInputElement>()
const path = () => ({ key: props.machine, kind: props.kind, item: props.item })

const send = (call: Promise<unknown>) =>
  run(async () => {
    await call
    refusing.value = false
    note.value = ''
    emit('said')
  })
const say = (state: 'done' | 'refused') =>
  send(
    ask(
      api.PUT('/machines/{key}/ticks/{kind}/{item}', {
        params: { path: path() },
        body: { state, note: note.value || undefined },
      }),
    ),
  )
const removeTick = () =>
  send(ask(api.DELETE('/machines/{key}/ticks/{kind}/{item}', { params: { path: path() } })))
async function refuse() {
  refusing.value = true
  await nextTick()
  field.value?.focus()
}
</script>

<template>
  <div v-if="ticked || may" class="no-print flex flex-wrap items-baseline gap-x-3 text-[13px]">
    <template v-if="ticked">
      <span :class="ticked.state === 'refused' || ticked.without_effect ? 'text-replace' : 'text-ready'">
        <span aria-hidden="true">{{ ticked.state === 'refused' ? '– ' : '✓ ' }}</span><b>{{
          ticked.state === 'refused' ? 'Refused' : 'Done'
        }}</b>
        by {{ ticked.by }}, {{ sayMoment(ticked.at)
        }}<template v-if="ticked.note">: {{ ticked.note }}</template
        >{{ ticked.without_effect ? '. The latest inventory does not show it.' : '' }}
      </span>
      <AppButton v-if="may" kind="link" :aria-label="`Undo: ${title}`" @click="removeTick">
        Take back
      </AppButton>
    </template>
    <template v-else-if="!refusing">
      <AppButton kind="link" :aria-label="`Mark as done: ${title}`" @click="say('done')">
        Mark as done
      </AppButton>
      <AppButton
        v-if="kind === 'prepare' || kind === 'after' || (kind === 'leave' && item !== 'record-closed')"
        kind="link"
        :aria-label="`Refuse: ${title}`"
        @click="refuse"
      >
        Refuse
      </AppButton>
    </template>
    <form
      v-else
      class="flex flex-wrap items-end gap-2"
      @submit.prevent="say('refused')"
      @keydown.esc="refusing = false"
    >
      <label class="text-xs text-soft"
        >Why it is not done
        <input
          ref="field"
          v-model="note"
          required
          maxlength="500"
          class="block w-60 rounded-md border border-line bg-card px-2 py-1 text-sm text-ink"
        />
      </label>
      <AppButton kind="main" small type="submit"> Refuse </AppButton>
      <button type="button" class="cursor-pointer px-1 py-1 text-sm underline" @click="refusing = false">
        Cancel
      </button>
    </form>
    <p v-if="trouble" role="alert" class="basis-full text-replace">{{ trouble }}</p>
  </div>
</template>
