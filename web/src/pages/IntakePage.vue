<script setup lang="ts">
import { useQuery, useQueryCache } from '@pinia/colada'
import { computed, ref } from 'vue'

import { api, ask, type Schemas } from '../client'
import TroubleBox from '../parts/TroubleBox.vue'
import { useSession } from '../session'
import { sayMoment } from '../words'

const { data: who } = useSession()
const cache = useQueryCache()
const { data, error, refetch } = useQuery({ key: ['collectors'], query: () => ask(api.GET('/collectors')) })
const origin = window.location.origin
const local = ['127.0.0.1', 'localhost', '[::1]'].includes(window.location.hostname)

// A token for the machines.
const name = ref('')
const days = ref(90)
const token = ref<Schemas['TokenMade']>()
const trouble = ref('')
async function make() {
  trouble.value = ''
  try {
    token.value = await ask(
      api.POST('/tokens', { body: { name: name.value, scope: 'submit', days: days.value || undefined } }),
    )
  } catch (e) {
    trouble.value = (e as Error).message
  }
}

// The command for a platform.
const programs = computed(() => (data.value?.collectors ?? []).filter((c) => c.architecture))
const picked = ref('')
const one = computed(
  () =>
    programs.value.find((c) => c.name === picked.value) ??
    programs.value.find((c) => /windows-amd64/.test(c.name)) ??
    programs.value[0],
)
const command = computed(() => {
  const c = one.value
  if (!c) return ''
  const secret = token.value?.secret ?? 'TOKEN'
  if (c.platform === 'Windows')
    return `# in PowerShell, as administrator
Invoke-WebRequest ${origin}${c.path} -OutFile rolltop-collect.exe
(Get-FileHash rolltop-collect.exe).Hash -eq '${c.sha256.toUpperCase()}'   # must say True
$env:ROLLTOP_TOKEN = '${secret}'
.\\rolltop-collect.exe --server ${origin}`
  const sum = c.platform === 'macOS' ? 'shasum -a 256 -c' : 'sha256sum -c'
  return `curl -fsS -o rolltop-collect ${origin}${c.path}
echo '${c.sha256}  rolltop-collect' | ${sum}
chmod +x rolltop-collect
sudo ROLLTOP_TOKEN=${secret} ./rolltop-collect --server ${origin}`
})
const copied = ref(false)
async function copy() {
  await navigator.clipboard.writeText(command.value).catch(() => undefined)
  copied.value = true
  setTimeout(() => (copied.value = false), 2000)
}

// Inventories in files: one document a file, or one a line.
interface Report {
  file: string
  says: string
  machine?: string
  key?: string
  good: boolean
}
const reports = ref<Report[]>([])
const busy = ref('')
async function read(event: Event) {
  const input = event.target as HTMLInputElement
  reports.value = []
  for (const file of input.files ?? []) {
    const text = await file.text()
    const lines = text.split('\n').filter((l) => l.trim())
    const each = lines.length > 1 && lines.every((l) => l.trim().startsWith('{') && l.trim().endsWith('}'))
    for (const [i, body] of (each ? lines : [text]).entries()) {
      const place = each ? `${file.name}, line ${i + 1}` : file.name
      busy.value = `${place}; ${reports.value.length} are read`
      reports.value.push(await submit(place, body))
    }
  }
  busy.value = ''
  input.value = ''
  await cache.invalidateQueries()
}
async function submit(file: string, body: string): Promise<Report> {
  const { data: got, error: refused } = await api
    .POST('/inventories', {
      body: body as never,
      bodySerializer: (b: unknown) => b as string,
      headers: { 'Content-Type': 'application/json' },
    })
    .catch(() => ({ data: undefined, error: { detail: 'The service does not answer.' } }))
  if (!got) return { file, good: false, says: (refused as { detail?: string })?.detail ?? 'It was refused.' }
  const s = got as Schemas['Submitted']
  const what = s.created ? 'a new machine' : s.changed ? 'new readings' : 'the same readings as before'
  return {
    file,
    good: true,
    machine: s.name,
    key: s.device,
    says: `${what}${s.disposition ? `; ${s.disposition}` : ''}`,
  }
}
const refused = computed(() => reports.value.filter((r) => !r.good))
const input = 'block rounded-md border border-line bg-card px-2 py-1 text-sm text-ink'
</script>

<template>
  <h1 class="mb-1 text-[27px] leading-tight font-semibold tracking-tight">Intake</h1>
  <p class="mb-6 text-soft">
    How machines get here: a collector runs on each and sends what it reads, or their inventories come in
    files.
  </p>
  <TroubleBox v-if="error" :error="error" @again="refetch()" />

  <section aria-labelledby="token" class="mb-8">
    <h2 id="token" class="mb-2 border-b border-line pb-1.5 font-semibold">1. A token for the machines</h2>
    <p v-if="token" role="status" class="mb-2">
      The token {{ token.name }}, which is shown this once:
      <code class="font-semibold select-all">{{ token.secret }}</code>
      <span v-if="token.expires_at" class="text-soft">, until {{ sayMoment(token.expires_at) }}</span>
    </p>
    <form v-else-if="who?.scope === 'manage'" class="flex flex-wrap items-end gap-3" @submit.prevent="make">
      <label class="text-xs text-soft"
        >Name, as a pier or a group
        <input v-model="name" required maxlength="100" :class="[input, 'w-52']" />
      </label>
      <label class="text-xs text-soft"
        >Days until it expires
        <input v-model.number="days" type="number" min="0" max="3650" :class="[input, 'w-24']" />
      </label>
      <button
        type="submit"
        class="cursor-pointer rounded-md bg-accent px-3 py-1 text-sm font-semibold text-card"
      >
        Make it
      </button>
      <p class="basis-full text-sm text-soft">It can send inventories and nothing else.</p>
      <p v-if="trouble" role="alert" class="basis-full text-replace">{{ trouble }}</p>
    </form>
    <p v-else class="text-soft">An administrator makes tokens; ask for one.</p>
  </section>

  <section aria-labelledby="command" class="mb-8">
    <h2 id="command" class="mb-2 border-b border-line pb-1.5 font-semibold">2. On each machine</h2>
    <template v-if="one">
      <label class="mb-2 block text-xs text-soft"
        >Kind of machine
        <select
          :value="one.name"
          :class="input"
          @change="picked = ($event.target as HTMLSelectElement).value"
        >
          <option v-for="c in programs" :key="c.name" :value="c.name">
            {{ c.platform }}, {{ c.architecture }} ({{ (c.bytes / 1e6).toFixed(1) }} MB)
          </option>
        </select>
      </label>
      <pre
        class="overflow-x-auto rounded-lg border border-line bg-card px-4 py-3 text-[13px]"
        tabindex="0"
        aria-label="The commands"
        >{{ command }}</pre>
      <p class="mt-2 flex flex-wrap gap-x-4 text-sm">
        <button type="button" class="cursor-pointer text-accent underline underline-offset-2" @click="copy">
          {{ copied ? 'Copied' : 'Copy' }}
        </button>
        <a :href="one.path" class="text-accent underline underline-offset-2">Download {{ one.name }}</a>
        <template v-for="c in data?.collectors" :key="c.name"
          ><a v-if="!c.architecture" :href="c.path" class="text-accent underline underline-offset-2"
            >{{ c.name }}, for {{ c.platform }}</a
          ></template
        >
      </p>
      <p class="mt-2 text-sm text-soft">
        It reads and changes nothing, and leaves nothing behind. Without rights it reads less, and says what.
      </p>
      <p v-if="local" class="mt-1 text-sm text-replace">
        This console is open under an address of this computer alone. Other machines reach the service only
        under its address in the network.
      </p>
    </template>
    <p v-else-if="!data && !error" role="status" class="text-soft">Looking for the collectors…</p>
    <p v-else-if="data" class="text-soft">
      The service hands out no collectors. Build them with <code>make dist</code>, and start it with
      <code>--collectors dist</code>.
    </p>
  </section>

  <section aria-labelledby="files">
    <h2 id="files" class="mb-2 border-b border-line pb-1.5 font-semibold">Or from files</h2>
    <template v-if="who?.scope === 'manage'">
      <label class="text-sm"
        >Inventories as the collector writes them with <code>--out</code>, one a file, or one a line
        <input
          type="file"
          multiple
          accept=".json,.ndjson,application/json"
          class="mt-1 block text-sm"
          :disabled="!!busy"
          @change="read"
        />
      </label>
      <p v-if="busy" role="status" class="mt-2 text-soft">Reading {{ busy }}…</p>
      <template v-else-if="reports.length">
        <p role="status" class="mt-3 font-semibold">
          {{ reports.length - refused.length }} of {{ reports.length }} were taken{{
            refused.length
              ? `; ${refused.length} ${refused.length === 1 ? 'was' : 'were'} refused and left everything as it was`
              : ''
          }}.
        </p>
        <ul class="mt-1 text-sm">
          <li v-for="r in reports" :key="r.file" class="py-0.5" :data-good="r.good">
            <span :class="r.good ? 'text-ready' : 'text-replace'"
              ><span aria-hidden="true">{{ r.good ? '✓' : '–' }}</span> {{ r.file }}</span
            >:
            <RouterLink
              v-if="r.key"
              :to="{ name: 'device', params: { machine: r.key } }"
              class="underline underline-offset-2"
              >{{ r.machine }}</RouterLink
            >
            {{ r.says }}
          </li>
        </ul>
      </template>
    </template>
    <p v-else class="text-soft">An administrator hands in files.</p>
  </section>
</template>
