<script setup lang="ts">
import { useQuery } from '@pinia/colada'
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'

import { queries } from '../queries'
import TroubleBox from '../ui/TroubleBox.vue'
import { confirm } from '../ui/confirm'
import { usePermissions } from '../use/usePermissions'
import { count, number, sayDay } from '../words'
import { useWave } from './useWave'
import WaveFill from './WaveFill.vue'
import WaveForm from './WaveForm.vue'
import WaveHandOff from './WaveHandOff.vue'
import WaveMembers from './WaveMembers.vue'
import WaveOutcomes from './WaveOutcomes.vue'
import WavePaused from './WavePaused.vue'
import WaveRefusals from './WaveRefusals.vue'

const props = defineProps<{ id: string }>()
const router = useRouter()
const at = computed(() => Number(props.id))
const { data: wave, error, refetch } = useQuery(() => queries.wave(at.value))
const { works, manages } = usePermissions()
const { busy, says, trouble, lines, refused, fill, drop, handOver, resume, end, tell } = useWave(at, () =>
  refetch(),
)
const waiting = computed(
  () => wave.value?.members.filter((m) => m.outcome === 'waiting' && !m.refused).length ?? 0,
)
const changing = ref(false)
async function confirmHandOver() {
  const machines = count(waiting.value, 'machine is', 'machines are')
  const yes = await confirm({
    title: 'Hand off this wave?',
    text: `${machines} with the deployment system, and webhooks are notified.`,
    action: 'Record hand-off',
  })
  if (yes) await handOver()
}
async function confirmEnd() {
  if (!wave.value) return
  const yes = await confirm({
    title: `End ${wave.value.name}?`,
    text: 'Machines that were not handed off are free for other waves.',
    action: 'End wave',
  })
  if (yes && (await end())) await router.push({ name: 'work', query: { tab: 'waves' } })
}
</script>

<template>
  <TroubleBox v-if="error && !wave" :error="error" @again="refetch()" />
  <p v-else-if="!wave" role="status" class="text-soft">Loading the wave…</p>
  <template v-else>
    <p class="text-soft">
      <RouterLink :to="{ name: 'work', query: { tab: 'waves' } }" class="link">Waves</RouterLink> ·
      <b class="text-ink">{{ wave.name }}</b>, to {{ wave.release_name }}, {{ sayDay(wave.starts) }} to
      {{ sayDay(wave.ends) }}<template v-if="wave.pilot"> · the pilot</template
      ><template v-if="wave.ended"> · ended</template>
    </p>
    <h1 class="mb-1 text-[27px] leading-tight font-semibold tracking-tight">
      {{ wave.says }}
    </h1>
    <p class="mb-5 flex flex-wrap gap-x-4 text-sm text-soft">
      <span
        >At most {{ number(wave.most) }} of
        <RouterLink :to="{ name: 'machines', query: { where: wave.rule } }" class="link"
          ><code>{{ wave.rule }}</code></RouterLink
        ></span
      >
      <span v-if="wave.note">{{ wave.note }}</span>
      <RouterLink
        v-if="wave.machines"
        :to="{ name: 'machines', query: { where: `wave=${wave.id}` } }"
        class="link"
        >As a list of machines</RouterLink
      >
      <template v-if="manages && !wave.ended">
        <button type="button" class="link cursor-pointer" @click="changing = !changing">
          {{ changing ? 'Cancel' : 'Edit wave' }}
        </button>
        <button type="button" class="link cursor-pointer" @click="confirmEnd">End wave</button>
      </template>
    </p>
    <div v-if="changing" class="no-print mb-6 max-w-xl">
      <WaveForm
        :wave="wave"
        @made="
          () => {
            changing = false
            refetch()
          }
        "
      />
    </div>
    <WavePaused v-if="wave.paused" :wave="wave" :busy="busy" :manages="manages" :resume="resume" />
    <p v-if="says" role="status" class="mb-2 text-ready">{{ says }}</p>
    <p v-if="trouble" role="alert" class="mb-2 text-replace">{{ trouble }}</p>
    <ul v-if="lines.length" class="mb-2 text-sm text-replace">
      <li v-for="l in lines" :key="l">{{ l }}</li>
    </ul>
    <ul v-if="refused.length" class="mb-2 text-sm text-replace" aria-label="Refused">
      <li v-for="r in refused" :key="r.reason">
        Not {{ r.some.map((m) => m.name).join(', ') }}: {{ r.reason }}.
      </li>
    </ul>
    <div class="grid gap-x-9 gap-y-8 lg:grid-cols-[8fr_4fr]">
      <WaveMembers
        :wave="wave"
        :busy="busy"
        :works="works"
        :manages="manages"
        @drop="drop"
        @again="(m) => tell(m.key, 'waiting')"
      />
      <div class="no-print">
        <WaveFill v-if="manages && !wave.ended" :wave="wave" :busy="busy" :add="fill" />
        <WaveHandOff
          v-if="wave.members.length"
          :wave="wave"
          :waiting="waiting"
          :busy="busy"
          :manages="manages"
          @hand-over="confirmHandOver"
        />
        <WaveOutcomes
          v-if="works && wave.members.length"
          :wave="wave"
          :busy="busy"
          :tell="tell"
          @taken="refetch()"
        />
        <WaveRefusals v-if="wave.refusals.length" :wave="wave" />
      </div>
    </div>
  </template>
</template>
