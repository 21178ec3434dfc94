<script setup lang="ts">
import AppButton from '../ui/AppButton.vue'
import { useQuery } from '@pinia/colada'
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'

import { api, ask, type Schemas } from '../client'
import { inBase64 } from '../file'
import TroubleBox from '../parts/TroubleBox.vue'
import { useSession } from '../session'
import WaveForm from '../work/WaveForm.vue'
import { count, number, sayDay, sayMoment } from '../words'
import { confirm } from '../ui/confirm'

const props = defineProps<{ id: string }>()
const router = useRouter()
const at = computed(() => Number(props.id))
const {
  data: wave,
  error,
  refetch,
} = useQuery({
  key: () => ['wave', at.value],
  query: () => ask(api.GET('/waves/{id}', { params: { path: { id: at.value } } })),
})
const { data: who } = useSession()
const manages = computed(() => who.value?.scope === 'manage')
const works = computed(() => ['work', 'manage'].includes(who.value?.scope ?? ''))
const words: Record<Schemas['WaveMachine']['outcome'], { mark: string; says: string; tone: string }> = {
  arrived: { mark: '●', says: 'On the release', tone: 'text-ready' },
  handed: { mark: '◐', says: 'Under way', tone: 'text-reconfigure' },
  waiting: { mark: '○', says: 'Waiting', tone: 'text-soft' },
  failed: { mark: '■', says: 'Failed', tone: 'text-replace' },
  back: { mark: '◆', says: 'Went back', tone: 'text-refit' },
}
const waiting = computed(
  () => wave.value?.members.filter((m) => m.outcome === 'waiting' && !m.refused).length ?? 0,
)
const changing = ref(false)
const says = ref('')
const trouble = ref('')
const lines = ref<string[]>([])
const refused = ref<Schemas['WaveRefusal'][]>([])
const busy = ref(false)
const keys = ref('')
const byName = ref(false)
async function run(f: () => Promise<string>) {
  busy.value = true
  says.value = trouble.value = ''
  lines.value = []
  refused.value = []
  try {
    says.value = await f()
    await refetch()
  } catch (e) {
    trouble.value = (e as Error).message
  } finally {
    busy.value = false
  }
}
const path = () => ({ path: { id: at.value } })
const fill = (named: string[]) =>
  run(async () => {
    const got = await ask(
      api.POST('/waves/{id}/machines', {
        params: path(),
        body: named.length ? { keys: named, by_name: byName.value || undefined } : {},
      }),
    )
    refused.value = named.length ? got.refusals : []
    keys.value = ''
    return `${count(got.added, 'machine', 'machines')} more in the wave.`
  })
const named = () =>
  keys.value
    .toLowerCase()
    .split(/[\s,;]+/)
    .filter(Boolean)
const drop = (m: Schemas['WaveMachine']) =>
  run(async () => {
    await ask(
      api.DELETE('/waves/{id}/machines/{key}', {
        params: { path: { id: at.value, key: m.key } },
      }),
    )
    return `${m.name} is out of the wave.`
  })
async function handOver() {
  const machines = count(waiting.value, 'machine is', 'machines are')
  const yes = await confirm({
    title: 'Hand over this wave?',
    text: `${machines} with the deployment system then, and webhooks are notified.`,
    action: 'Hand over wave',
  })
  if (!yes) return
  await run(async () => {
    const got = await ask(api.POST('/waves/{id}/hand-off', { params: path() }))
    lines.value = got.refused.map((m) => `Not ${m.name}: ${m.reason}.`)
    return `${count(got.machines.length, 'machine is', 'machines are')} with the deployment system.`
  })
}
async function end() {
  if (!wave.value) return
  const yes = await confirm({
    title: `End ${wave.value.name}?`,
    text: 'Machines that were not handed over are free for other waves.',
    action: 'End wave',
  })
  if (!yes) return
  await run(async () => {
    await ask(api.DELETE('/waves/{id}', { params: path() }))
    return ''
  })
  if (!trouble.value) await router.push({ name: 'work', query: { tab: 'waves' } })
}
const took = (got: Schemas['OutcomesTaken']) => {
  lines.value = got.problems ?? []
  return `${count(got.taken, 'outcome', 'outcomes')} taken.`
}
const telling = ref('')
const outcome = ref<'arrived' | 'failed' | 'back'>('failed')
const reason = ref('')
const tell = () =>
  run(async () => {
    const got = await ask(
      api.POST('/waves/{id}/outcomes', {
        params: path(),
        body: {
          outcomes: [{ machine: telling.value, outcome: outcome.value, reason: reason.value || undefined }],
        },
      }),
    )
    if (got.taken) telling.value = reason.value = ''
    return took(got)
  })
const again = (m: Schemas['WaveMachine']) =>
  run(async () =>
    took(
      await ask(
        api.POST('/waves/{id}/outcomes', {
          params: path(),
          body: { outcomes: [{ machine: m.key, outcome: 'waiting' }] },
        }),
      ),
    ),
  )
async function tellFile(e: Event) {
  const field = e.target as HTMLInputElement
  const file = field.files?.[0]
  if (!file) return
  await run(async () =>
    took(
      await ask(
        api.POST('/waves/{id}/outcomes/file', {
          params: path(),
          body: { name: file.name, content: await inBase64(file) },
        }),
      ),
    ),
  )
  field.value = ''
}
const handOff = (format: string) => `/api/waves/${at.value}/hand-off?format=${format}`
const input = 'rounded-md border border-line bg-card px-2 py-1 text-sm text-ink'
const link = 'underline underline-offset-2 hover:text-ink'
</script>

<template>
  <TroubleBox v-if="error && !wave" :error="error" @again="refetch()" />
  <p v-else-if="!wave" role="status" class="text-soft">Reading the wave…</p>
  <template v-else>
    <p class="text-soft">
      <RouterLink :to="{ name: 'work', query: { tab: 'waves' } }" :class="link">Waves</RouterLink> ·
      <b class="text-ink">{{ wave.name }}</b>, to {{ wave.release_name }}, {{ sayDay(wave.starts) }} to
      {{ sayDay(wave.ends) }}<template v-if="wave.pilot"> · the pilot</template
      ><template v-if="wave.ended"> · ended</template>
    </p>
    <h1 class="mb-1 text-[27px] leading-tight font-semibold tracking-tight">
      {{ wave.says }}
    </h1>
    <p class="mb-5 flex flex-wrap gap-x-4 text-sm text-soft">
      <span
        >Takes {{ number(wave.most) }} of
        <RouterLink :to="{ name: 'devices', query: { where: wave.rule } }" :class="link"
          ><code>{{ wave.rule }}</code></RouterLink
        ></span
      >
      <span v-if="wave.note">{{ wave.note }}</span>
      <RouterLink
        v-if="wave.machines"
        :to="{ name: 'devices', query: { where: `wave=${wave.id}` } }"
        :class="link"
        >As a list of machines</RouterLink
      >
      <template v-if="manages && !wave.ended">
        <button type="button" class="cursor-pointer" :class="link" @click="changing = !changing">
          {{ changing ? 'Leave it as it is' : 'Change it' }}
        </button>
        <button type="button" class="cursor-pointer" :class="link" @click="end">End it</button>
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
      <section aria-labelledby="members" class="min-w-0">
        <h2 id="members" class="border-b border-line pb-1.5 font-semibold">
          {{ wave.members.length ? `${number(wave.members.length)} in it` : 'Its machines' }}
        </h2>
        <p v-if="wave.members.length === 0" class="py-2 text-soft">
          None yet. {{ count(wave.free, 'machine', 'machines') }} of its rule may enter now.
        </p>
        <div v-else class="overflow-x-auto">
          <table class="w-full min-w-[38rem] text-left text-sm">
            <thead class="text-soft">
              <tr>
                <th scope="col" class="py-1 pr-3 font-normal">Machine</th>
                <th scope="col" class="py-1 pr-3 font-normal">Day</th>
                <th scope="col" class="py-1 pr-3 font-normal">Outcome</th>
                <th scope="col" class="py-1 pr-3 font-normal">Package</th>
                <th scope="col" class="py-1 font-normal">Before it goes</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="m in wave.members" :key="m.key" class="border-t border-line/60 align-baseline">
                <th scope="row" class="py-1.5 pr-3 font-normal whitespace-nowrap">
                  <RouterLink
                    :to="{ name: 'device', params: { machine: m.key } }"
                    class="font-semibold underline-offset-2 hover:underline"
                    >{{ m.name }}</RouterLink
                  >
                  <span class="block text-[13px] text-soft">{{ m.place }}</span>
                </th>
                <td class="py-1.5 pr-3 whitespace-nowrap">{{ m.day ? sayDay(m.day) : '' }}</td>
                <td class="py-1.5 pr-3">
                  <span class="font-semibold whitespace-nowrap" :class="words[m.outcome].tone"
                    ><span aria-hidden="true" class="mr-1">{{ words[m.outcome].mark }}</span
                    >{{ words[m.outcome].says }}</span
                  >
                  <span
                    v-if="m.reason"
                    class="block text-[13px]"
                    :class="m.refused ? 'text-replace' : 'text-soft'"
                    >{{ m.refused ? 'It may not go now: ' : '' }}{{ m.reason }}</span
                  >
                  <span v-if="m.by_name" class="block text-[13px] text-soft">let in by {{ m.by_name }}</span>
                  <span v-if="m.handed_at && m.outcome === 'handed'" class="block text-[13px] text-soft"
                    >since {{ sayMoment(m.handed_at) }}</span
                  >
                </td>
                <td class="py-1.5 pr-3">
                  <template v-if="m.package"
                    >{{ m.package }}
                    <span class="block max-w-44 truncate text-[13px] text-soft" :title="m.sha256"
                      >{{ m.sha256?.slice(0, 12) }}…</span
                    ></template
                  >
                  <template v-else>{{ m.way }}</template>
                </td>
                <td class="py-1.5">
                  <template v-if="m.outcome === 'waiting' || m.outcome === 'handed'">
                    <ul v-if="m.prepare?.length" class="text-[13px] text-soft">
                      <li v-for="p in m.prepare" :key="p">{{ p }}</li>
                    </ul>
                    <AppButton
                      v-if="manages && m.outcome === 'waiting'"
                      kind="link"
                      small
                      :aria-label="`Take out ${m.name}`"
                      :disabled="busy"
                      class="no-print"
                      @click="drop(m)"
                    >
                      Take out
                    </AppButton>
                  </template>
                  <AppButton
                    v-else-if="works && m.outcome !== 'arrived'"
                    kind="link"
                    small
                    :aria-label="`Let it go once more: ${m.name}`"
                    :disabled="busy"
                    class="no-print"
                    @click="again(m)"
                  >
                    Let it go once more
                  </AppButton>
                </td>
              </tr>
            </tbody>
          </table>
        </div>
      </section>
      <div class="no-print">
        <section v-if="manages && !wave.ended" aria-labelledby="fill" class="mb-7">
          <h2 id="fill" class="mb-2 border-b border-line pb-1.5 font-semibold">Fill it</h2>
          <AppButton
            kind="main"
            small
            :disabled="busy || wave.free === 0 || wave.members.length >= wave.most"
            @click="fill([])"
          >
            Take {{ number(Math.min(wave.free, Math.max(0, wave.most - wave.members.length))) }} of
            {{ number(wave.free) }} that may enter
          </AppButton>
          <form class="mt-3 text-[13px] text-soft" @submit.prevent="fill(named())">
            <label class="block"
              >Or these, by their keys
              <input
                v-model="keys"
                required
                placeholder="gull-014 gull-015"
                :class="input"
                class="mt-0.5 block w-full"
            /></label>
            <label class="mt-1 flex items-baseline gap-2">
              <input v-model="byName" type="checkbox" class="my-1.5 size-5" /> also where a requirement is
              waived, in my name
            </label>
            <AppButton small type="submit" :disabled="busy" class="mt-1">Put in</AppButton>
          </form>
        </section>
        <section v-if="wave.members.length" aria-labelledby="hand-off" class="mb-7">
          <h2 id="hand-off" class="mb-2 border-b border-line pb-1.5 font-semibold">Hand it off</h2>
          <p class="text-sm">
            For the deployment system, with way, edition, package and checksum:
            <a
              v-for="f in ['csv', 'json', 'ndjson']"
              :key="f"
              :href="handOff(f)"
              class="mr-2 text-accent"
              :class="link"
              :download="`wave-${wave.id}.${f}`"
              >{{ f.toUpperCase() }}</a
            >
          </p>
          <AppButton v-if="manages" small :disabled="busy || waiting === 0" class="mt-2" @click="handOver">
            Note that {{ number(waiting) }} were handed over
          </AppButton>
        </section>
        <section v-if="works && wave.members.length" aria-labelledby="outcomes" class="mb-7">
          <h2 id="outcomes" class="mb-2 border-b border-line pb-1.5 font-semibold">What became of them</h2>
          <p class="text-sm text-soft">
            Later inventories show who arrived. Tell here what they cannot show.
          </p>
          <form class="mt-2 grid gap-1.5 text-[13px] text-soft" @submit.prevent="tell">
            <label
              >Machine
              <select v-model="telling" required :class="input" class="mt-0.5 block w-full">
                <option v-for="m in wave.members" :key="m.key" :value="m.key">{{ m.name }}</option>
              </select></label
            >
            <label
              >Outcome
              <select v-model="outcome" :class="input" class="mt-0.5 block w-full">
                <option value="failed">Failed</option>
                <option value="back">Went back</option>
                <option value="arrived">On the release</option>
              </select></label
            >
            <label
              >Why
              <input
                v-model="reason"
                :required="outcome === 'failed'"
                maxlength="500"
                :class="input"
                class="mt-0.5 block w-full"
            /></label>
            <AppButton small type="submit" :disabled="busy" class="justify-self-start"> Tell </AppButton>
          </form>
          <label class="mt-3 block text-[13px] text-soft"
            >Or a file of the deployment system: CSV with machine, outcome, reason
            <input
              type="file"
              accept=".csv,.ndjson,.json,.txt"
              class="mt-0.5 block w-full text-sm text-ink"
              @change="tellFile"
          /></label>
        </section>
        <section v-if="wave.refusals.length" aria-labelledby="refused">
          <h2 id="refused" class="mb-2 border-b border-line pb-1.5 font-semibold">
            Of its rule, and refused
          </h2>
          <ul class="text-sm">
            <li v-for="r in wave.refusals" :key="r.reason" class="py-1">
              <details>
                <summary class="cursor-pointer">
                  <b>{{ number(r.machines) }}</b>: {{ r.reason }}
                </summary>
                <RouterLink
                  v-for="m in r.some"
                  :key="m.key"
                  :to="{ name: 'device', params: { machine: m.key } }"
                  class="mr-2 text-soft"
                  :class="link"
                  >{{ m.name }}</RouterLink><span v-if="r.machines > r.some.length" class="text-soft">…</span>
              </details>
            </li>
          </ul>
        </section>
      </div>
    </div>
  </template>
</template>
