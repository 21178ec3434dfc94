<script setup lang="ts">
import AppButton from '../ui/AppButton.vue'
import { useQuery, useQueryCache } from '@pinia/colada'
import { ref, watch } from 'vue'

import { api, ask, ifUnchanged, type Schemas } from '../client'
import { queries } from '../queries'
import { sayMoment } from '../words'
import { confirm } from '../ui/confirm'
import TroubleBox from '../ui/TroubleBox.vue'
import { useAction } from '../use/useAction'

const cache = useQueryCache()
const settings = useQuery(queries.settings())
const webhooks = useQuery(queries.webhooks())
const models = useQuery(queries.modelFacts())
const form = ref<Schemas['Settings']>()
watch(settings.data, (s) => (form.value = s && { ...s }), { immediate: true })
const { says, trouble, run: act } = useAction()
const secret = ref<{ of: string; text: string }>()
const name = ref('')
const url = ref('')

const weekdays = {
  mon: 'Monday',
  tue: 'Tuesday',
  wed: 'Wednesday',
  thu: 'Thursday',
  fri: 'Friday',
  sat: 'Saturday',
  sun: 'Sunday',
}
const worked = (day: string) => (form.value?.working_days ?? '').split(',').includes(day)
function setDay(day: string, on: boolean) {
  const days = Object.keys(weekdays).filter((d) => (d === day ? on : worked(d)))
  if (form.value && days.length) form.value.working_days = days.join(',')
}

async function run(f: () => Promise<string | void>) {
  secret.value = undefined
  await act(f)
  await Promise.all([webhooks.refetch(), models.refetch()])
}
const save = () =>
  run(async () => {
    await ask(api.PUT('/settings', { body: form.value!, headers: ifUnchanged(settings.data.value) }))
    await cache.invalidateQueries()
    return 'Kept.'
  })
const addWebhook = () =>
  run(async () => {
    const params = { path: { name: name.value } }
    const there = (await ask(api.GET('/webhooks'))).webhooks.some((h) => h.name === name.value)
    const was = there ? await ask(api.GET('/webhooks/{name}', { params })) : undefined
    if (
      was &&
      !(await confirm({
        title: `Change the webhook ${was.name}?`,
        text: `It notifies ${was.url}.`,
        action: 'Change webhook',
      }))
    )
      return
    const h = await ask(
      api.PUT('/webhooks/{name}', { params, headers: ifUnchanged(was), body: { url: url.value } }),
    )
    if (h.secret) secret.value = { of: `The key of ${h.name}`, text: h.secret }
    name.value = url.value = ''
  })
const removeWebhook = (of: string) =>
  run(async () => {
    await ask(api.DELETE('/webhooks/{name}', { params: { path: { name: of } } }))
  })
const removeFact = (id: number) =>
  run(async () => {
    await ask(api.DELETE('/model-facts/{id}', { params: { path: { id } } }))
    await cache.invalidateQueries()
  })
</script>

<template>
  <TroubleBox v-if="settings.error.value" :error="settings.error.value" @again="settings.refetch()" />
  <p v-if="trouble" role="alert" class="mb-3 text-replace">{{ trouble }}</p>
  <p v-if="says" role="status" class="mb-3 text-ready">{{ says }}</p>
  <section v-if="form" aria-labelledby="keeping" class="mb-8">
    <h2 id="keeping" class="mb-2 border-b border-line pb-1.5 font-semibold">Retention and visibility</h2>
    <form class="flex max-w-2xl flex-wrap items-end gap-x-5 gap-y-3" @submit.prevent="save">
      <label class="text-xs text-soft"
        >Days until a machine is overdue
        <input
          v-model.number="form.stale_days"
          type="number"
          min="1"
          max="3650"
          required
          class="entry block w-28"
        />
      </label>
      <label class="text-xs text-soft"
        >Months for which every inventory is kept
        <input
          v-model.number="form.history_months"
          type="number"
          min="1"
          max="600"
          required
          class="entry block w-28"
        />
      </label>
      <label class="text-xs text-soft"
        >Days until a retired machine is removed
        <input
          v-model.number="form.retired_days"
          type="number"
          min="0"
          max="36500"
          required
          class="entry block w-28"
        />
      </label>
      <fieldset class="flex basis-full flex-wrap items-end gap-x-3 gap-y-1 text-sm">
        <legend class="text-xs text-soft">Days on which machines are upgraded and visited</legend>
        <label v-for="(label, day) in weekdays" :key="day" class="flex items-baseline gap-1">
          <input
            type="checkbox"
            :checked="worked(day)"
            @change="setDay(day, ($event.target as HTMLInputElement).checked)"
          />
          {{ label }}
        </label>
        <label class="ml-4 text-xs text-soft"
          >Working hours
          <input
            v-model="form.working_hours"
            required
            pattern="\d\d:\d\d-\d\d:\d\d"
            placeholder="08:00-16:00"
            class="entry block w-32"
          />
        </label>
      </fieldset>
      <label class="flex basis-full items-baseline gap-2 text-sm">
        <input v-model="form.viewers_see_all" type="checkbox" />
        Viewers can see serial numbers, UUIDs and installed applications
      </label>
      <label class="flex basis-full items-baseline gap-2 text-sm">
        <input v-model="form.webhooks_private" type="checkbox" />
        Allow webhooks to private networks and to the service’s own host
      </label>
      <p class="basis-full text-sm text-soft">
        Of older inventories, one per quarter is kept for each machine. The latest is always kept.
      </p>
      <AppButton kind="main" small type="submit">Save settings</AppButton>
    </form>
  </section>
  <section aria-labelledby="of-models" class="mb-8">
    <h2 id="of-models" class="mb-2 border-b border-line pb-1.5 font-semibold">Facts of models</h2>
    <p v-if="!models.data.value?.facts.length" class="text-sm text-soft">
      None. Facts that you enter on a machine’s page for all machines of its model appear here.
    </p>
    <table v-else class="w-full text-left text-sm">
      <tbody>
        <tr v-for="f in models.data.value.facts" :key="f.id" class="border-t border-line/60">
          <th scope="row" class="py-1.5 pr-4 font-semibold">{{ f.maker }} {{ f.model }}</th>
          <td class="py-1.5 pr-4">{{ f.label }}: {{ f.value }}</td>
          <td class="py-1.5 pr-4">
            <RouterLink
              :to="{
                name: 'machines',
                query: { where: `maker=&quot;${f.maker}&quot; model=&quot;${f.model}&quot;` },
              }"
              class="underline underline-offset-2"
              >{{ f.machines }} machines</RouterLink
            >
          </td>
          <td class="py-1.5 pr-4 text-soft">
            {{ f.by }}, {{ sayMoment(f.at) }}<template v-if="f.note">; {{ f.note }}</template>
          </td>
          <td class="py-1.5 text-right">
            <AppButton kind="link" @click="removeFact(f.id)">Remove</AppButton>
          </td>
        </tr>
      </tbody>
    </table>
  </section>
  <section aria-labelledby="webhooks">
    <h2 id="webhooks" class="mb-2 border-b border-line pb-1.5 font-semibold">Webhooks</h2>
    <p v-if="secret" role="status" class="card mb-3 px-4 py-3">
      {{ secret.of }}, shown only once:
      <code class="font-semibold select-all">{{ secret.text }}</code>
    </p>
    <ul class="mb-3 text-sm">
      <li v-for="h in webhooks.data.value?.webhooks" :key="h.name" class="border-t border-line/60 py-1.5">
        <b>{{ h.name }}</b> {{ h.url }}
        <span class="text-soft">
          {{ h.sent_at ? `last message accepted ${sayMoment(h.sent_at)}` : 'no messages yet'
          }}<template v-if="h.waiting">; {{ h.waiting }} changes waiting</template></span
        >
        <span v-if="h.problem" class="text-replace"> {{ h.problem }}; tried {{ h.tries }} times</span>
        <AppButton kind="link" class="ml-3" @click="removeWebhook(h.name)">Remove</AppButton>
      </li>
    </ul>
    <form class="flex flex-wrap items-end gap-3" aria-label="Add webhook" @submit.prevent="addWebhook">
      <label class="text-xs text-soft"
        >Name
        <input v-model="name" required maxlength="64" class="entry block w-40" />
      </label>
      <label class="text-xs text-soft"
        >Address
        <input v-model="url" required type="url" maxlength="1000" class="entry block w-80" />
      </label>
      <AppButton kind="main" small type="submit">Add</AppButton>
      <p class="basis-full text-sm text-soft">
        Each change of a machine’s disposition is sent to the address, signed, and repeated until the address
        accepts it.
      </p>
    </form>
  </section>
</template>
