<script setup lang="ts">
import { useQuery, useQueryCache } from '@pinia/colada'
import { computed, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import { api, ask, signedOut } from './client'
import { queries } from './queries'
import SignIn from './start/SignIn.vue'
import TroubleBox from './ui/TroubleBox.vue'
import FirstPage from './start/FirstPage.vue'
import { useLive } from './use/useLive'
import { nobody, useSession } from './use/useSession'
import ConfirmDialog from './ui/ConfirmDialog.vue'

const route = useRoute()
const router = useRouter()
const cache = useQueryCache()
const { data: who, error, isPending, refetch } = useSession()

const places = [
  { name: 'fleet', label: 'Fleet', icon: 'M4 19V9m5 10V5m5 14v-7m5 7V8' },
  { name: 'machines', label: 'Machines', icon: 'M4 6h16v10H4zM9 20h6' },
  { name: 'releases', label: 'Releases', icon: 'M7 4h10v16H7zM10 9h4m-4 4h4' },
  { name: 'work', label: 'Work', icon: 'M5 6h2m3 0h9M5 12h2m3 0h9M5 18h2m3 0h9' },
  { name: 'intake', label: 'Intake', icon: 'M4 14v5h16v-5M12 4v10m-4-4 4 4 4-4' },
  { name: 'settings', label: 'Settings', icon: 'M4 7h10m4 0h2M4 17h2m4 0h10M16 5v4M8 15v4' },
]
const current = computed(() =>
  String(route.name ?? '')
    .replace(/^(machine|compare|grid)$/, 'machines')
    .replace(/^(release|release-new|release-edit|list-import|rule-change)$/, 'releases')
    .replace(/^wave$/, 'work'),
)

const { connected } = useLive(computed(() => !!who.value && who.value.scope !== 'none'))

const releases = useQuery(() => ({
  ...queries.releases(),
  enabled: !!who.value && who.value.scope !== 'none',
}))
const targets = computed(() => (releases.data.value?.releases ?? []).filter((r) => r.target))

const find = ref('')
function go() {
  const words = find.value.replaceAll('=', ' ').trim()
  find.value = ''
  router.push({ name: 'machines', query: words ? { where: words } : {} })
}
async function signOut() {
  await ask(api.DELETE('/session')).catch(() => undefined)
  cache.setQueryData(queries.session().key, nobody)
}
window.addEventListener(signedOut, () => cache.setQueryData(queries.session().key, nobody))
</script>

<template>
  <FirstPage v-if="route.name === 'first'" />
  <SignIn v-else-if="who?.scope === 'none'" />
  <div v-else-if="who" class="min-h-screen md:grid md:grid-cols-[10.5rem_1fr]">
    <a href="#content" class="sr-only focus:not-sr-only focus:absolute focus:z-10 focus:bg-card focus:p-2">
      Skip to content
    </a>
    <nav aria-label="Main" class="side">
      <RouterLink to="/" class="mx-2 flex items-center gap-2 text-[19px] font-semibold md:mb-4">
        <svg
          class="size-6 text-accent"
          viewBox="0 0 24 24"
          fill="none"
          stroke="currentColor"
          stroke-width="2"
          stroke-linecap="round"
          aria-hidden="true"
        >
          <path d="M4 20V11a8 7 0 0 1 16 0v9" />
          <path d="M4.6 13h14.8M5.6 9.4h12.8M4 16.6h16M4 20h16" />
        </svg>
        Rolltop
      </RouterLink>
      <RouterLink
        v-for="p in places"
        :key="p.name"
        :to="{ name: p.name }"
        :aria-current="current === p.name ? 'page' : undefined"
        class="flex items-center gap-2.5 rounded-md px-2.5 py-1.5"
        :class="current === p.name ? 'bg-shade font-semibold' : 'text-soft hover:text-ink'"
      >
        <svg
          class="size-[18px]"
          viewBox="0 0 24 24"
          fill="none"
          stroke="currentColor"
          stroke-width="1.8"
          stroke-linecap="round"
          stroke-linejoin="round"
          aria-hidden="true"
        >
          <path :d="p.icon" />
        </svg>
        {{ p.label }}
      </RouterLink>
      <div class="ml-auto px-2.5 text-[13px] text-soft md:mt-auto md:ml-0">
        <p v-if="!connected" role="status" class="mb-1 text-replace">
          The service does not respond. This page may be out of date.
        </p>
        {{ who.name }}<template v-if="who.sites?.length">, {{ who.sites.join(', ') }}</template> ·
        <button
          type="button"
          class="cursor-pointer underline underline-offset-2 hover:text-ink"
          @click="signOut"
        >
          Sign out
        </button>
      </div>
    </nav>

    <div class="min-w-0">
      <header
        class="no-print flex flex-wrap items-center gap-x-3 gap-y-2 px-5 pt-4 text-sm text-soft md:px-8"
      >
        <span v-if="targets.length">
          Target
          <template v-for="(t, i) in targets" :key="t.id">
            <span v-if="i > 0"> and </span>
            <RouterLink
              :to="{ name: 'release', params: { id: t.id } }"
              class="font-semibold text-ink underline-offset-2 hover:underline"
              >{{ t.name }}</RouterLink
            >
            <span> (revision {{ t.revision }})</span>
          </template>
        </span>
        <form v-if="route.name !== 'machines'" role="search" class="ml-auto" @submit.prevent="go">
          <label class="sr-only" for="find">Find a machine</label>
          <input
            id="find"
            v-model="find"
            type="search"
            placeholder="Find a machine, model or site"
            class="w-64 rounded-lg border border-line bg-card px-3 py-1.5 text-ink placeholder:text-soft"
          />
        </form>
      </header>
      <main id="content" class="max-w-[1180px] px-5 pt-4 pb-10 md:px-8">
        <RouterView />
      </main>
    </div>
  </div>
  <div v-else-if="error" class="mx-auto max-w-xl p-8">
    <TroubleBox :error="error" @again="refetch()" />
  </div>
  <p v-else-if="isPending" class="p-8 text-soft" role="status">Opening…</p>
  <ConfirmDialog />
</template>
