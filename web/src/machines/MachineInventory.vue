<script setup lang="ts">
import { Disclosure, DisclosureButton, DisclosurePanel } from '@headlessui/vue'
import { computed } from 'vue'

import { api, ask, type Schemas } from '../client'
import AppButton from '../ui/AppButton.vue'
import { useAction } from '../use/useAction'
import { capital, sayMoment } from '../words'
import FactForm from './FactForm.vue'

/** What is known of the machine, with its source; what is not known, with a way to enter it. */
const props = defineProps<{ machine: Schemas['Machine']; may: boolean }>()
const emit = defineEmits<{ changed: [] }>()
const { trouble, run } = useAction()
const missing = computed(
  () => props.machine.facts.flatMap((g) => g.facts).filter((f) => !f.known && !f.none).length,
)
async function removeFact(fact: string) {
  await run(async () => {
    await ask(
      api.DELETE('/machines/{key}/facts/{fact}', { params: { path: { key: props.machine.key, fact } } }),
    )
  })
  emit('changed')
}
</script>

<template>
  <section aria-labelledby="inventory" class="mt-9">
    <h2 id="inventory" class="mb-2 border-b border-line pb-1.5 font-semibold">
      The inventory<span class="font-normal text-soft">{{
        missing ? `; ${missing} facts are unknown` : ''
      }}</span>
    </h2>
    <Disclosure
      v-for="g in machine.facts"
      :key="g.group"
      v-slot="{ open }"
      as="div"
      class="border-b border-line/60"
      :data-group="g.group"
    >
      <DisclosureButton class="flex w-full cursor-pointer items-baseline gap-2 py-1.5 text-left">
        <span aria-hidden="true" class="text-soft">{{ open ? '▾' : '▸' }}</span>
        <span class="w-40 shrink-0 font-semibold">{{ g.group }}</span>
        <span v-if="!open" class="truncate text-soft">{{ g.summary }}</span>
      </DisclosureButton>
      <DisclosurePanel>
        <table class="mb-3 w-full text-left text-sm">
          <tbody>
            <tr
              v-for="f in g.facts"
              :key="f.fact + f.label"
              :data-fact="f.fact"
              class="border-t border-line/40 align-baseline"
            >
              <th scope="row" class="w-64 py-1 pr-4 pl-6 font-normal" :title="f.fact">{{ f.label }}</th>
              <td v-if="f.known" class="py-1 pr-4">{{ f.value }}</td>
              <td v-else class="py-1 pr-4 text-soft">
                {{ f.why }} {{ f.try }}
                <FactForm
                  v-if="may && !f.none"
                  :machine="machine.key"
                  :fact="f.fact"
                  :label="f.label"
                  :choices="f.choices"
                  :example="f.example"
                  :model="machine.same_model"
                  @entered="emit('changed')"
                />
              </td>
              <td class="w-64 py-1 wrap-anywhere text-soft">{{ f.source }}</td>
            </tr>
          </tbody>
        </table>
      </DisclosurePanel>
    </Disclosure>
  </section>

  <section v-if="machine.hand?.length" aria-labelledby="hand" class="mt-8">
    <h2 id="hand" class="mb-2 border-b border-line pb-1.5 font-semibold">Entered by hand</h2>
    <ul class="text-sm">
      <li v-for="h in machine.hand" :key="h.fact" class="flex flex-wrap gap-x-3 py-0.5">
        <span
          ><span class="text-soft">{{ capital(h.label) }}:</span> <b>{{ h.value }}</b></span
        >
        <span class="text-soft"
          >{{ h.by }}, {{ sayMoment(h.at) }}<template v-if="h.note">; {{ h.note }}</template></span
        >
        <span v-if="h.problem" class="text-replace">Not in the latest inventory: {{ h.problem }}</span>
        <AppButton v-if="may" kind="link" @click="removeFact(h.fact)"> Remove </AppButton>
      </li>
    </ul>
    <p v-if="trouble" role="alert" class="text-sm text-replace">{{ trouble }}</p>
  </section>
</template>
