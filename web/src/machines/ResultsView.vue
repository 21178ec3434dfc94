<script setup lang="ts">
import { useQuery } from '@pinia/colada'
import { computed } from 'vue'

import type { Schemas } from '../client'
import { queries } from '../queries'
import { sayMoment } from '../words'
import TroubleBox from '../ui/TroubleBox.vue'

/** What the work since an earlier inventory has come to. */
const props = defineProps<{ machine: string; inventory: number }>()
const { data, error, refetch } = useQuery(() => queries.after(props.machine, props.inventory))
const shown = computed(() => data.value?.steps.filter((s) => s.state !== 'not-seen') ?? [])
const quiet = computed(() => data.value?.steps.filter((s) => s.state === 'not-seen') ?? [])
const good = (c: Schemas['ResultsChange']) => c.kind === 'settled' || c.kind === 'moot'
</script>

<template>
  <TroubleBox v-if="error" :error="error" @again="refetch()" />
  <p v-else-if="!data" role="status" class="text-soft">Comparing…</p>
  <div v-else class="card px-5 py-4">
    <p class="text-lg font-semibold">{{ data.says }}</p>
    <p v-for="n in data.notes" :key="n" class="text-replace">{{ n }}</p>
    <p class="mb-3 text-sm text-soft">
      Inventories of {{ sayMoment(data.before.taken_at) }} and of {{ sayMoment(data.after.taken_at) }},
      {{ data.release.name }}, revision {{ data.release.revision }}
    </p>
    <div class="grid gap-x-9 gap-y-4 lg:grid-cols-2">
      <section v-if="data.changes.length" aria-label="Requirements before and after">
        <h3 class="mb-1 font-semibold">Requirements</h3>
        <table class="w-full text-left text-sm">
          <thead class="text-soft">
            <tr>
              <th scope="col" class="pr-3 font-normal">Requirement</th>
              <th scope="col" class="pr-3 font-normal">Before</th>
              <th scope="col" class="pr-3 font-normal">Now</th>
              <th scope="col" class="font-normal">So</th>
            </tr>
          </thead>
          <tbody>
            <tr
              v-for="c in data.changes"
              :key="c.requirement"
              class="border-t border-line/60 align-baseline"
              :data-change="c.kind"
            >
              <th scope="row" class="py-1 pr-3 font-semibold">{{ c.title }}</th>
              <td class="py-1 pr-3">{{ c.was }}</td>
              <td class="py-1 pr-3">{{ c.is }}</td>
              <td class="py-1" :class="good(c) ? 'text-ready' : 'text-replace'">
                {{ c.word
                }}<template v-if="c.settled_by?.length && c.kind === 'settled'">
                  (step {{ c.settled_by.join(', ') }})</template
                >
              </td>
            </tr>
          </tbody>
        </table>
      </section>
      <section v-if="data.prepared?.length" aria-label="Preparation">
        <h3 class="mb-1 font-semibold">Before the upgrade</h3>
        <ul class="text-sm">
          <li v-for="p in data.prepared" :key="p.id">
            <b>{{ p.title }}</b>: {{ p.word }}. {{ p.says }}
          </li>
        </ul>
      </section>
      <section v-if="data.steps.length" aria-label="Steps of the plan before the work">
        <h3 class="mb-1 font-semibold">Steps of the plan as it was</h3>
        <ol class="text-sm">
          <li v-for="s in shown" :key="s.number" class="py-1">
            <b>{{ s.number }}. {{ s.title }}</b
            >: <span :class="s.state === 'worked' ? 'text-ready' : 'text-replace'">{{ s.word }}</span>.
            {{ s.says }}
            <ul v-if="s.try?.length" class="list-disc pl-5 text-soft">
              <li v-for="t in s.try" :key="t">{{ t }}</li>
            </ul>
          </li>
        </ol>
        <p v-if="quiet.length" class="mt-1 text-sm text-soft">
          No program can see whether these were done:
          {{ quiet.map((s) => s.title.charAt(0).toLowerCase() + s.title.slice(1)).join('; ') }}.
        </p>
      </section>
    </div>
  </div>
</template>
