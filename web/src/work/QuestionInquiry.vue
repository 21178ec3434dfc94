<script setup lang="ts">
import { ref } from 'vue'

import { api, ask, type Schemas } from '../client'
import { useAction } from '../use/useAction'
import AppButton from '../ui/AppButton.vue'
import { confirm } from '../ui/confirm'
import { capital, count } from '../words'

/** Whom an open question was put to, and its answer: a fact, or a row of a proposed revision. */
const props = defineProps<{ question: Schemas['Question']; may: boolean; manages: boolean }>()
const emit = defineEmits<{ changed: [] }>()
const doing = ref<'ask' | 'answer' | ''>('')
const who = ref('')
const due = ref('')
const note = ref('')
const value = ref('')
const silent = ref(false)
const { busy, says, trouble, run } = useAction()
const put = () =>
  run(async () => {
    await ask(
      api.PUT('/questions/{id}', {
        params: { path: { id: props.question.id } },
        body: { who: who.value, due: due.value || undefined, note: note.value || undefined },
      }),
    )
    doing.value = ''
    emit('changed')
  })
/** What an answer can be: of a list only that it is supported, of a title one of five states. */
const choices = () =>
  props.question.choices ??
  (props.question.answer !== 'release'
    ? undefined
    : /^(software|drivers)/.test(props.question.fact ?? '')
      ? ['fine', 'update', 'buy', 'remove', 'problem']
      : ['yes'])
const send = (dryRun: boolean) =>
  ask(
    api.POST('/questions/{id}/answer', {
      params: { path: { id: props.question.id } },
      body: {
        value: silent.value ? undefined : value.value,
        treat_as: silent.value ? value.value : undefined,
        note: note.value || undefined,
        dry_run: dryRun || undefined,
      },
    }),
  )
const answer = () =>
  run(async () => {
    const trial = await send(true)
    const yes = await confirm({
      title: 'Record this answer?',
      text: `${trial.says} ${capital(trial.machines.map((m) => m.name).join(', '))}.`,
      action: `Record for ${count(trial.count, 'machine', 'machines')}`,
    })
    if (!yes) return 'Nothing was recorded.'
    const got = await send(false)
    emit('changed')
    return got.says
  })
</script>

<template>
  <p v-if="question.asked" class="text-sm" :class="question.asked.late ? 'text-refit' : 'text-soft'">
    {{ question.asked.says }}
  </p>
  <div v-if="may" class="no-print text-sm">
    <AppButton
      kind="link"
      small
      :aria-expanded="doing === 'ask'"
      :aria-label="`${question.asked ? 'Ask again' : 'Record whom you asked'}: ${question.says}`"
      @click="doing = doing === 'ask' ? '' : 'ask'"
      >{{ question.asked ? 'Ask again' : 'Record whom you asked' }}</AppButton
    >
    <AppButton
      v-if="manages"
      kind="link"
      small
      class="ml-3"
      :aria-expanded="doing === 'answer'"
      :aria-label="`Record answer: ${question.says}`"
      @click="doing = doing === 'answer' ? '' : 'answer'"
      >Record answer</AppButton
    >
    <form v-if="doing === 'ask'" class="mt-1 flex flex-wrap items-end gap-3" @submit.prevent="put">
      <label class="text-soft"
        >Asked
        <input
          v-model="who"
          required
          maxlength="100"
          placeholder="support of the maker"
          class="entry block w-52"
      /></label>
      <label class="text-soft">Answer by <input v-model="due" type="date" class="entry block w-36" /></label>
      <label class="text-soft"
        >Note <input v-model="note" maxlength="500" placeholder="ticket 4711" class="entry block w-44"
      /></label>
      <AppButton small type="submit" :disabled="busy">Record question</AppButton>
    </form>
    <form v-if="doing === 'answer'" class="mt-1 flex flex-wrap items-end gap-3" @submit.prevent="answer">
      <label class="text-soft"
        >Answer
        <select v-if="choices()" v-model="value" required class="entry block w-40">
          <option v-for="c in choices()" :key="c" :value="c">{{ c }}</option>
        </select>
        <input
          v-else
          v-model="value"
          required
          maxlength="200"
          :placeholder="question.example"
          class="entry block w-40"
        />
      </label>
      <label class="text-soft"
        >{{ silent ? 'Why this counts' : 'Where it is from' }}
        <input v-model="note" :required="silent" maxlength="500" class="entry block w-60"
      /></label>
      <label class="flex items-center gap-1 text-soft">
        <input v-model="silent" type="checkbox" /> nobody answered; treat it as this
      </label>
      <AppButton small type="submit" :disabled="busy">Record answer</AppButton>
    </form>
    <p v-if="says" role="status" class="text-ready">{{ says }}</p>
    <p v-if="trouble" role="alert" class="text-replace">{{ trouble }}</p>
  </div>
</template>
