<script setup lang="ts">
import AppButton from '../ui/AppButton.vue'
import { useQuery } from '@pinia/colada'
import { computed, ref } from 'vue'

import { api, ask, type Schemas } from '../client'
import { queries } from '../queries'
import ExpectedList from './ExpectedList.vue'
import FileIntake from './FileIntake.vue'
import TroubleBox from '../ui/TroubleBox.vue'
import { usePermissions } from '../use/usePermissions'
import { sayMoment } from '../words'
import { useAction } from '../use/useAction'

const { works, manages } = usePermissions()
const { data, error, refetch } = useQuery(queries.collectors())
const origin = window.location.origin
const local = ['127.0.0.1', 'localhost', '[::1]'].includes(window.location.hostname)

// A token for the machines.
const name = ref('')
const days = ref(90)
const machines = ref<number>()
const tag = ref('')
const site = ref('')
const token = ref<Schemas['TokenMade']>()
const { trouble, run } = useAction()
const make = () =>
  run(async () => {
    token.value = await ask(
      api.POST('/tokens', {
        body: {
          name: name.value,
          scope: 'submit',
          days: days.value || undefined,
          machines: machines.value || undefined,
          tag: tag.value || undefined,
          site: site.value || undefined,
        },
      }),
    )
  })

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
  // The service's own certificate is trusted by its sum: the program is compared before it
  // runs, and it compares the certificate before it sends anything.
  const pin = data.value?.pin
  const pinned = pin ? ` --pin ${pin}` : ''
  const fetch = pin
    ? `curl.exe -kfsSo rolltop-collect.exe ${origin}${c.path}`
    : `Invoke-WebRequest ${origin}${c.path} -OutFile rolltop-collect.exe`
  if (c.platform === 'Windows')
    return `# in PowerShell, as administrator
${fetch}
(Get-FileHash rolltop-collect.exe).Hash -eq '${c.sha256.toUpperCase()}'   # must say True
$env:ROLLTOP_TOKEN = '${secret}'
.\\rolltop-collect.exe --server ${origin}${pinned}`
  const sum = c.platform === 'macOS' ? 'shasum -a 256 -c' : 'sha256sum -c'
  return `curl -${pin ? 'k' : ''}fsS -o rolltop-collect ${origin}${c.path}
echo '${c.sha256}  rolltop-collect' | ${sum}
chmod +x rolltop-collect
sudo ROLLTOP_TOKEN=${secret} ./rolltop-collect --server ${origin}${pinned}`
})
const copied = ref(false)
async function copy() {
  await navigator.clipboard.writeText(command.value).catch(() => undefined)
  copied.value = true
  setTimeout(() => (copied.value = false), 2000)
}
</script>

<template>
  <h1 class="mb-1 text-[27px] leading-tight font-semibold tracking-tight">Intake</h1>
  <p class="mb-6 text-soft">
    Run a collector on each machine; it submits an inventory. Or import inventories from files.
  </p>
  <TroubleBox v-if="error" :error="error" @again="refetch()" />

  <section aria-labelledby="token" class="mb-8">
    <h2 id="token" class="mb-2 border-b border-line pb-1.5 font-semibold">1. A token for the machines</h2>
    <p v-if="token" role="status" class="mb-2">
      The token {{ token.name }}, shown only once:
      <code class="font-semibold select-all">{{ token.secret }}</code>
      <span v-if="token.expires_at" class="text-soft">, until {{ sayMoment(token.expires_at) }}</span>
    </p>
    <form v-else-if="manages" class="flex flex-wrap items-end gap-3" @submit.prevent="make">
      <label class="text-xs text-soft"
        >Name, for example a site or a group
        <input v-model="name" required maxlength="100" class="entry block w-52" />
      </label>
      <label class="text-xs text-soft"
        >Days until it expires
        <input v-model.number="days" type="number" min="0" max="3650" class="entry block w-24" />
      </label>
      <label class="text-xs text-soft"
        >Machines that it can add
        <input
          v-model.number="machines"
          type="number"
          min="1"
          max="1000000"
          placeholder="10,000"
          class="entry block w-28"
        />
      </label>
      <label class="text-xs text-soft"
        >Tag
        <input v-model="tag" maxlength="64" pattern="[A-Za-z0-9_\-]+" class="entry block w-28" />
      </label>
      <label class="text-xs text-soft"
        >Site
        <input v-model="site" maxlength="100" placeholder="from host name" class="entry block w-36" />
      </label>
      <AppButton kind="main" small type="submit"> Create token </AppButton>
      <p class="basis-full text-sm text-soft">
        It can only submit inventories. Machines that it added can always submit again.
      </p>
      <p v-if="trouble" role="alert" class="basis-full text-replace">{{ trouble }}</p>
    </form>
    <p v-else class="text-soft">Only an administrator can create tokens. Ask for one.</p>
  </section>

  <section aria-labelledby="command" class="mb-8">
    <h2 id="command" class="mb-2 border-b border-line pb-1.5 font-semibold">2. On each machine</h2>
    <template v-if="one">
      <label class="mb-2 block text-xs text-soft"
        >Kind of machine
        <select
          :value="one.name"
          class="entry block"
          @change="picked = ($event.target as HTMLSelectElement).value"
        >
          <option v-for="c in programs" :key="c.name" :value="c.name">
            {{ c.platform }}, {{ c.architecture }} ({{ (c.bytes / 1e6).toFixed(1) }} MB)
          </option>
        </select>
      </label>
      <pre class="card overflow-x-auto px-4 py-3 text-[13px]" tabindex="0" aria-label="The commands">{{
        command
      }}</pre>
      <p class="mt-2 flex flex-wrap gap-x-4 text-sm">
        <AppButton kind="link" @click="copy">
          {{ copied ? 'Copied' : 'Copy' }}
        </AppButton>
        <a :href="one.path" class="text-accent underline underline-offset-2">Download {{ one.name }}</a>
        <template v-for="c in data?.collectors" :key="c.name"
          ><a v-if="!c.architecture" :href="c.path" class="text-accent underline underline-offset-2"
            >{{ c.name }}, for {{ c.platform }}</a
          ></template
        >
      </p>
      <p class="mt-2 text-sm text-soft">
        The collector reads the machine and changes nothing. Run as administrator, it keeps a key and signs
        what it submits. Without administrator rights it reads less, and says what.
      </p>
      <p v-if="data?.pin" class="mt-1 text-sm text-soft">
        The service uses a self-signed certificate. Its SHA-256 fingerprint, for <code>--pin</code>:
        <code class="break-all">{{ data.pin }}</code>
      </p>
      <p v-if="local" class="mt-1 text-sm text-replace">
        You opened the console at an address that only this computer can reach. Other machines need the
        network address of the service.
      </p>
    </template>
    <p v-else-if="!data && !error" role="status" class="text-soft">Loading collectors…</p>
    <p v-else-if="data" class="text-soft">
      This build of the service contains no collectors. Build it with <code>make build</code>, or start it
      with <code>--collectors DIRECTORY</code>.
    </p>
  </section>

  <section aria-labelledby="files" class="mb-8">
    <h2 id="files" class="mb-2 border-b border-line pb-1.5 font-semibold">From files</h2>
    <FileIntake v-if="manages" />
    <p v-else class="text-soft">Only an administrator can import files.</p>
  </section>

  <section aria-labelledby="expected">
    <h2 id="expected" class="mb-2 border-b border-line pb-1.5 font-semibold">Not reported yet</h2>
    <ExpectedList :may="works" />
  </section>
</template>
