<script setup lang="ts">
import type { Schemas } from '../client'
import FactForm from '../machines/FactForm.vue'
import { number } from '../words'
import QuestionInquiry from './QuestionInquiry.vue'

defineProps<{ work: Schemas['Work']; may: boolean; manages: boolean }>()
const emit = defineEmits<{ changed: [] }>()
const list = (where: string) => ({ name: 'machines', query: { where } })
const keptOfAdapter = 'Enter the answer once for all machines of the model that have the adapter.'
const kept: Record<Schemas['Question']['answer'], string> = {
  'model-fact': 'Enter the answer once for all machines of the model.',
  'machine-fact': 'Enter the answer for the machine.',
  release: 'The answer becomes a row of a new revision, which is not put in force.',
}
</script>

<template>
  <p v-if="work.questions.length === 0" class="text-soft">No open questions.</p>
  <template v-else>
    <p class="mb-3 max-w-[75ch]">Each question is asked once for all machines that it affects.</p>
    <ul>
      <li
        v-for="q in work.questions"
        :key="q.id"
        class="grid gap-x-6 border-t border-line/60 py-2 md:grid-cols-[4rem_minmax(0,1fr)]"
      >
        <RouterLink
          :to="list(q.where)"
          class="font-semibold underline-offset-2 hover:underline"
          :aria-label="`${q.machines} machines: ${q.says}`"
          >{{ number(q.machines) }}</RouterLink
        >
        <div>
          <p>{{ q.says }} {{ q.told }}</p>
          <p class="text-sm text-soft">
            {{ q.fact?.includes(':') && q.answer === 'model-fact' ? keptOfAdapter : kept[q.answer] }}
            <FactForm
              v-if="may && q.answer === 'model-fact' && q.fact && q.maker && q.model"
              :fact="q.fact"
              :label="q.label ?? q.fact"
              :choices="q.choices"
              :example="q.example"
              :model="{ maker: q.maker, model: q.model, machines: q.machines }"
              @entered="emit('changed')"
            />
            <RouterLink
              v-else-if="q.answer !== 'release'"
              :to="list(q.where)"
              class="text-accent underline underline-offset-2"
              >Open {{ q.machines === 1 ? 'the machine' : 'one of them' }} to enter it</RouterLink
            >
          </p>
          <QuestionInquiry :question="q" :may="may" :manages="manages" @changed="emit('changed')" />
        </div>
      </li>
    </ul>
  </template>
</template>
