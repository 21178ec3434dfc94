<script setup lang="ts">
import AppButton from '../ui/AppButton.vue'
import { computed, ref, watch } from 'vue'

import { api, ask, type Schemas } from '../client'
import { count, hours, number } from '../words'
import ChangedMachines from './ChangedMachines.vue'
import ShiftList from './ShiftList.vue'
import { useAction } from '../use/useAction'

/** Preview which machines would change under a draft, another revision or another release. */
const props = defineProps<{ about: Schemas['AskWhatIf']; label: string; disabled?: boolean }>()
const got = ref<Schemas['WhatIf']>()
const { busy, trouble, run } = useAction()
const stale = ref(false)
/** Also what both take: visits, time, parts. */
const effort = ref(false)
/** A row of the comparison of what both take. */
const rows = (a: Schemas['Effort'], b: Schemas['Effort']) => [
  ['Machines with work', number(a.machines), number(b.machines)],
  ['Visits', number(a.visits), number(b.visits)],
  ['Time at the desks', hours(a.minutes), hours(b.minutes)],
  ['Working days with all technicians', span(a.days), span(b.days)],
  ['Machines that are replaced', number(a.replaced), number(b.replaced)],
  ['Parts', a.parts.says, b.parts.says],
  ['Labour', a.labour.says, b.labour.says],
]
const span = (s: Schemas['Span']) => (s.least === s.most ? `${s.most}` : `${s.least}–${s.most}`)
watch(
  () => JSON.stringify(props.about),
  () => (stale.value = true),
)
const look = () =>
  run(async () => {
    got.value = await ask(
      api.POST('/what-if', { body: { ...props.about, effort: effort.value || undefined } }),
    )
    stale.value = false
  })
const list = (where: string) => ({ name: 'machines', query: { where } })
const most = computed(() => Math.max(1, ...(got.value?.sites ?? []).map((p) => p.moved)))
</script>

<template>
  <div class="flex flex-wrap items-center gap-3">
    <AppButton :disabled="busy || disabled" @click="look">
      {{ busy ? 'Judging the fleet…' : label }}
    </AppButton>
    <label class="flex items-center gap-1 text-sm text-soft"
      ><input v-model="effort" type="checkbox" /> with visits, time and cost</label
    >
    <span class="text-sm text-soft">Nothing is saved. Machines are judged from their stored facts.</span>
  </div>
  <p v-if="trouble" role="alert" class="mt-2 text-replace">{{ trouble }}</p>
  <section v-if="got" aria-label="Machines that would change" class="mt-4" :class="{ 'opacity-50': stale }">
    <p v-if="stale" class="mb-1 text-sm text-refit">This preview does not include your last change.</p>
    <p class="text-lg font-semibold" role="status">{{ got.says }}</p>
    <p v-for="n in got.notes" :key="n" class="text-sm text-soft">{{ n }}</p>
    <p class="mb-4 text-sm text-soft">
      {{ got.becomes.name }}, revision {{ got.becomes.revision }}{{ got.draft ? ' (draft)' : '' }}, instead of
      {{ got.was.name }}, revision {{ got.was.revision }}.
    </p>
    <table v-if="got.effort_before && got.effort_after" class="mb-5 text-left text-sm">
      <thead class="text-soft">
        <tr>
          <th scope="col" class="py-1 pr-6 font-normal">What it takes</th>
          <th scope="col" class="py-1 pr-6 font-normal">
            {{ got.was.name }}, revision {{ got.was.revision }}
          </th>
          <th scope="col" class="py-1 font-normal">
            {{ got.becomes.name }}, revision {{ got.becomes.revision }}
          </th>
        </tr>
      </thead>
      <tbody>
        <tr
          v-for="r in rows(got.effort_before, got.effort_after)"
          :key="r[0]"
          class="border-t border-line/60 align-baseline"
        >
          <th scope="row" class="py-1 pr-6 font-normal">{{ r[0] }}</th>
          <td class="py-1 pr-6">{{ r[1] }}</td>
          <td class="py-1 font-semibold">{{ r[2] }}</td>
        </tr>
      </tbody>
    </table>
    <div v-if="got.moved" class="grid gap-x-9 gap-y-6 md:grid-cols-2">
      <div>
        <h3 class="mb-1 border-b border-line pb-1 font-semibold">By disposition</h3>
        <ShiftList :shifts="got.shifts" />
        <template v-if="got.sites.length > 1">
          <h3 class="mt-5 mb-1 border-b border-line pb-1 font-semibold">By site</h3>
          <ul class="text-sm">
            <li
              v-for="p in got.sites"
              :key="p.site"
              class="grid grid-cols-[9rem_1fr_2.6rem] items-center gap-3 py-0.5"
            >
              <span>{{ p.site || 'No site' }}</span>
              <span class="flex h-3"
                ><span class="rounded-[3px] bg-accent" :style="{ width: `${(100 * p.moved) / most}%` }"
              /></span>
              <b class="text-right">{{ number(p.moved) }}</b>
            </li>
          </ul>
        </template>
      </div>
      <div>
        <h3 class="mb-1 border-b border-line pb-1 font-semibold">By requirement</h3>
        <ul class="text-sm">
          <li v-for="c in got.requirements" :key="c.requirement" class="border-b border-line/60 py-1.5">
            <p>{{ c.needs }}<span v-if="c.new" class="ml-1 text-soft">(new)</span></p>
            <p class="text-soft">
              <template v-if="c.newly_fail"
                ><b class="text-ink">{{ number(c.newly_fail) }}</b> newly fail
              </template>
              <template v-if="c.no_longer_fail"
                ><b class="text-ink">{{ number(c.no_longer_fail) }}</b> no longer fail
              </template>
              <template v-if="c.newly_unknown"
                ><b class="text-ink">{{ number(c.newly_unknown) }}</b> newly unknown</template
              >
            </p>
          </li>
        </ul>
      </div>
    </div>
    <template v-if="got.missing.length">
      <h3 class="mt-5 mb-1 border-b border-line pb-1 font-semibold">Decisive unknown facts</h3>
      <ul class="text-sm">
        <li v-for="m in got.missing" :key="m.fact" class="py-0.5">
          <RouterLink :to="list(m.where)" class="underline-offset-2 hover:underline"
            ><b>{{ number(m.machines) }}</b> {{ m.machines === 1 ? 'machine' : 'machines' }}</RouterLink
          >: “{{ m.label }}” is unknown<span v-if="m.never_collected" class="text-soft"
            >;
            {{
              m.never_collected === m.machines
                ? 'never collected'
                : `${number(m.never_collected)} never collected`
            }}</span
          >
        </li>
      </ul>
    </template>
    <details v-if="got.changed.length" class="mt-5" :open="got.changed.length <= 12">
      <summary class="cursor-pointer font-semibold">
        {{ count(got.moved, 'machine', 'machines') }} by name
      </summary>
      <ChangedMachines :machines="got.changed" :moved="got.moved" />
    </details>
  </section>
</template>
