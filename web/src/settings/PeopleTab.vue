<script setup lang="ts">
import AppButton from '../ui/AppButton.vue'
import { useQuery } from '@pinia/colada'
import { ref } from 'vue'

import { api, ask, ifUnchanged, type Schemas } from '../client'
import { queries } from '../queries'
import { sayMoment } from '../words'
import { confirm } from '../ui/confirm'
import TroubleBox from '../ui/TroubleBox.vue'
import { useAction } from '../use/useAction'

type Role = Schemas['User']['role']
const roles: { role: Role; may: string }[] = [
  { role: 'viewer', may: 'reads' },
  { role: 'technician', may: 'can read, enter facts, tick steps and create links to visits' },
  { role: 'administrator', may: 'can do everything' },
]
const users = useQuery(queries.users())
const tokens = useQuery(queries.tokens())
const name = ref('')
const role = ref<Role>('technician')
const only = ref('')
/** Sites, as they are typed with commas between. */
const placesIn = (text: string) => {
  const list = text
    .split(',')
    .map((p) => p.trim())
    .filter(Boolean)
  return list.length ? list : undefined
}
const token = ref('')
const scope = ref<Schemas['NewToken']['scope']>('submit')
const days = ref(90)
const secret = ref<{ of: string; text: string }>()
const { trouble, run: act } = useAction()

async function run(f: () => Promise<void>) {
  secret.value = undefined
  await act(f)
  await Promise.all([users.refetch(), tokens.refetch()])
}
const user = (who: string) => ask(api.GET('/users/{name}', { params: { path: { name: who } } }))
/** Adds or changes a user who was as read. */
async function put(who: string, was: Schemas['User'] | undefined, as: Role, sites?: string[], renew = false) {
  const u = await ask(
    api.PUT('/users/{name}', {
      params: { path: { name: who } },
      headers: ifUnchanged(was),
      body: { role: as, renew: renew || undefined, sites: as === 'administrator' ? undefined : sites },
    }),
  )
  if (u.password) secret.value = { of: `The password of ${u.name}`, text: u.password }
}
const add = () =>
  run(async () => {
    const there = (await ask(api.GET('/users'))).users.some((u) => u.name === name.value)
    const was = there ? await user(name.value) : undefined
    if (
      was &&
      !(await confirm({
        title: `Change the user ${was.name}?`,
        text: `${was.name} is a user already: ${was.role}, ${was.sites?.join(', ') ?? 'all sites'}.`,
        action: 'Change user',
      }))
    )
      return
    await put(name.value, was, role.value, placesIn(only.value))
    name.value = only.value = ''
  })
/** Changes the role of a user, or gives a new password; the rest stays as it is. */
const change = (who: string, as?: Role) =>
  run(async () => {
    const was = await user(who)
    await put(who, was, as ?? was.role, was.sites, !as)
  })
const remove = (who: string) =>
  run(async () => {
    await ask(api.DELETE('/users/{name}', { params: { path: { name: who } } }))
  })
const addToken = () =>
  run(async () => {
    const t = await ask(
      api.POST('/tokens', { body: { name: token.value, scope: scope.value, days: days.value || undefined } }),
    )
    secret.value = { of: `The token ${t.name}`, text: t.secret }
    token.value = ''
  })
const endToken = (id: number) =>
  run(async () => {
    await ask(api.DELETE('/tokens/{id}', { params: { path: { id } } }))
  })
</script>

<template>
  <p v-if="trouble" role="alert" class="mb-3 text-replace">{{ trouble }}</p>
  <p v-if="secret" role="status" class="card mb-4 px-4 py-3">
    {{ secret.of }}, shown only once: <code class="font-semibold select-all">{{ secret.text }}</code>
  </p>
  <TroubleBox v-if="users.error.value" :error="users.error.value" @again="users.refetch()" />
  <section v-else aria-labelledby="users" class="mb-8">
    <h2 id="users" class="mb-2 border-b border-line pb-1.5 font-semibold">Users</h2>
    <table class="mb-3 w-full text-left text-sm">
      <thead class="text-soft">
        <tr>
          <th scope="col" class="py-1 pr-4 font-normal">Name</th>
          <th scope="col" class="py-1 pr-4 font-normal">Role</th>
          <th scope="col" class="py-1 pr-4 font-normal">Sees</th>
          <th scope="col" class="py-1 font-normal"><span class="sr-only">What can be done</span></th>
        </tr>
      </thead>
      <tbody>
        <tr
          v-for="u in users.data.value?.users"
          :key="u.name"
          class="border-t border-line/60"
          :data-user="u.name"
        >
          <th scope="row" class="py-1.5 pr-4 font-semibold">{{ u.name }}</th>
          <td class="py-1.5 pr-4">
            <select
              :value="u.role"
              :aria-label="`Role of ${u.name}`"
              class="entry block"
              @change="change(u.name, ($event.target as HTMLSelectElement).value as Role)"
            >
              <option v-for="r in roles" :key="r.role" :value="r.role">{{ r.role }}</option>
            </select>
          </td>
          <td class="py-1.5 pr-4">{{ u.sites?.join(', ') ?? 'all sites' }}</td>
          <td class="space-x-4 py-1.5 text-right">
            <AppButton kind="link" @click="change(u.name)"> New password </AppButton>
            <AppButton kind="link" :aria-label="`Remove ${u.name}`" @click="remove(u.name)">
              Remove
            </AppButton>
          </td>
        </tr>
      </tbody>
    </table>
    <form class="flex flex-wrap items-end gap-3" aria-label="Add user" @submit.prevent="add">
      <label class="text-xs text-soft"
        >Name
        <input v-model="name" required maxlength="200" class="entry block w-52" />
      </label>
      <label class="text-xs text-soft"
        >Role
        <select v-model="role" class="entry block">
          <option v-for="r in roles" :key="r.role" :value="r.role">{{ r.role }}: {{ r.may }}</option>
        </select>
      </label>
      <label v-if="role !== 'administrator'" class="text-xs text-soft"
        >Limited to these sites, separated by commas
        <input v-model="only" maxlength="1000" placeholder="all" class="entry block w-64" />
      </label>
      <AppButton kind="main" small type="submit">Add</AppButton>
    </form>
  </section>
  <TroubleBox v-if="tokens.error.value" :error="tokens.error.value" @again="tokens.refetch()" />
  <section v-else aria-labelledby="tokens">
    <h2 id="tokens" class="mb-2 border-b border-line pb-1.5 font-semibold">Tokens</h2>
    <table class="mb-3 w-full text-left text-sm">
      <thead class="text-soft">
        <tr>
          <th scope="col" class="py-1 pr-4 font-normal">Name</th>
          <th scope="col" class="py-1 pr-4 font-normal">May</th>
          <th scope="col" class="py-1 pr-4 font-normal">Used</th>
          <th scope="col" class="py-1 pr-4 font-normal">Expires</th>
          <th scope="col" class="py-1 font-normal"><span class="sr-only">What can be done</span></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="t in tokens.data.value?.tokens" :key="t.id" class="border-t border-line/60">
          <th scope="row" class="py-1.5 pr-4 font-semibold">{{ t.name }}</th>
          <td class="py-1.5 pr-4">
            {{ t.scope }}<template v-if="t.sites?.length">, {{ t.sites.join(', ') }}</template
            ><template v-if="t.machines !== undefined">, {{ t.machines }} more machines</template>
          </td>
          <td class="py-1.5 pr-4">{{ t.used_at ? sayMoment(t.used_at) : 'never' }}</td>
          <td class="py-1.5 pr-4">{{ t.expires_at ? sayMoment(t.expires_at) : 'never' }}</td>
          <td class="py-1.5 text-right">
            <AppButton kind="link" :aria-label="`Remove ${t.name}`" @click="endToken(t.id)">
              Remove
            </AppButton>
          </td>
        </tr>
      </tbody>
    </table>
    <form class="flex flex-wrap items-end gap-3" aria-label="Create token" @submit.prevent="addToken">
      <label class="text-xs text-soft"
        >Name
        <input v-model="token" required maxlength="100" class="entry block w-52" />
      </label>
      <label class="text-xs text-soft"
        >May
        <select v-model="scope" class="entry block">
          <option value="submit">submit inventories only</option>
          <option value="read">read</option>
          <option value="work">read, and work on machines</option>
          <option value="manage">do everything</option>
        </select>
      </label>
      <label class="text-xs text-soft"
        >Days until it expires
        <input v-model.number="days" type="number" min="0" max="3650" class="entry block w-24" />
      </label>
      <AppButton kind="main" small type="submit">Add</AppButton>
    </form>
  </section>
</template>
