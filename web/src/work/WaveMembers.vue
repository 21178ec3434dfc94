<script setup lang="ts">
import type { Schemas } from '../client'
import AppButton from '../ui/AppButton.vue'
import { capital, count, number, sayDay, sayMoment } from '../words'

/** The machines of a wave, with what has become of each. */
defineProps<{ wave: Schemas['WaveDetail']; busy: boolean; works: boolean; manages: boolean }>()
const emit = defineEmits<{ drop: [m: Schemas['WaveMachine']]; again: [m: Schemas['WaveMachine']] }>()
const marks: Record<Schemas['WaveMachine']['outcome'], { mark: string; tone: string }> = {
  arrived: { mark: '●', tone: 'text-ready' },
  'handed-off': { mark: '◐', tone: 'text-reconfigure' },
  waiting: { mark: '○', tone: 'text-soft' },
  failed: { mark: '■', tone: 'text-replace' },
  back: { mark: '◆', tone: 'text-refit' },
}
</script>

<template>
  <section aria-labelledby="members" class="min-w-0">
    <h2 id="members" class="border-b border-line pb-1.5 font-semibold">
      {{ wave.members.length ? `${number(wave.members.length)} machines` : 'Machines' }}
    </h2>
    <p v-if="wave.members.length === 0" class="py-2 text-soft">
      None yet. {{ count(wave.free, 'machine', 'machines') }} that match its rule can enter now.
    </p>
    <div v-else class="overflow-x-auto">
      <table class="w-full min-w-[38rem] text-left text-sm">
        <thead class="text-soft">
          <tr>
            <th scope="col" class="py-1 pr-3 font-normal">Machine</th>
            <th scope="col" class="py-1 pr-3 font-normal">Day</th>
            <th scope="col" class="py-1 pr-3 font-normal">Outcome</th>
            <th scope="col" class="py-1 pr-3 font-normal">Package</th>
            <th scope="col" class="py-1 font-normal">To prepare</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="m in wave.members" :key="m.key" class="border-t border-line/60 align-baseline">
            <th scope="row" class="py-1.5 pr-3 font-normal whitespace-nowrap">
              <RouterLink
                :to="{ name: 'machine', params: { machine: m.key } }"
                class="font-semibold underline-offset-2 hover:underline"
                >{{ m.name }}</RouterLink
              >
              <span class="block text-[13px] text-soft">{{ m.site }}</span>
            </th>
            <td class="py-1.5 pr-3 whitespace-nowrap">{{ m.day ? sayDay(m.day) : '' }}</td>
            <td class="py-1.5 pr-3">
              <span class="font-semibold whitespace-nowrap" :class="marks[m.outcome].tone"
                ><span aria-hidden="true" class="mr-1">{{ marks[m.outcome].mark }}</span
                >{{ capital(wave.outcome_names[m.outcome] ?? m.outcome) }}</span
              >
              <span
                v-if="m.reason"
                class="block text-[13px]"
                :class="m.refused ? 'text-replace' : 'text-soft'"
                >{{ m.refused ? 'Not now: ' : '' }}{{ m.reason }}</span
              >
              <span v-if="m.loses?.length && m.outcome === 'waiting'" class="block text-[13px] text-soft"
                >removes {{ m.loses.join(', ') }}</span
              >
              <span v-if="m.by_name" class="block text-[13px] text-soft">admitted by {{ m.by_name }}</span>
              <span v-if="m.handed_off_at && m.outcome === 'handed-off'" class="block text-[13px] text-soft"
                >since {{ sayMoment(m.handed_off_at) }}</span
              >
            </td>
            <td class="py-1.5 pr-3">
              <ol v-if="m.hops?.length" class="text-[13px]">
                <li v-for="h in m.hops" :key="h.release" class="mb-0.5">
                  <span class="whitespace-nowrap"
                    >{{ h.release }}<span v-if="h.day" class="text-soft">, {{ sayDay(h.day) }}</span></span
                  >
                  <span class="block text-soft"
                    ><span aria-hidden="true" class="mr-1" :class="marks[h.outcome].tone">{{
                      marks[h.outcome].mark
                    }}</span
                    >{{ wave.outcome_names[h.outcome] ?? h.outcome
                    }}<template v-if="h.package">, {{ h.package }}</template
                    ><template v-else-if="h.no_package">, {{ h.no_package }}</template></span
                  >
                </li>
              </ol>
              <template v-else-if="m.package"
                >{{ m.package }}
                <span class="block max-w-44 truncate text-[13px] text-soft" :title="m.sha256"
                  >{{ m.sha256?.slice(0, 12) }}…</span
                ></template
              >
              <template v-else>{{ m.way }}</template>
            </td>
            <td class="py-1.5">
              <template v-if="m.outcome === 'waiting' || m.outcome === 'handed-off'">
                <ul v-if="m.prepare?.length" class="text-[13px] text-soft">
                  <li v-for="p in m.prepare" :key="p">{{ p }}</li>
                </ul>
                <AppButton
                  v-if="manages && m.outcome === 'waiting'"
                  kind="link"
                  small
                  :aria-label="`Remove ${m.name}`"
                  :disabled="busy"
                  class="no-print"
                  @click="emit('drop', m)"
                >
                  Remove
                </AppButton>
              </template>
              <AppButton
                v-else-if="works && m.outcome !== 'arrived'"
                kind="link"
                small
                :aria-label="`Try again: ${m.name}`"
                :disabled="busy"
                class="no-print"
                @click="emit('again', m)"
              >
                Try again
              </AppButton>
            </td>
          </tr>
        </tbody>
      </table>
    </div>
  </section>
</template>
