<script setup lang="ts">
import { useQuery } from '@pinia/colada'
import { computed } from 'vue'
import { useRoute } from 'vue-router'

import { queries } from '../queries'
import TroubleBox from '../ui/TroubleBox.vue'
import { capital, count, number } from '../words'

/** The applications of the fleet: what each takes, who settles it, and where it is. */
const props = defineProps<{ where: string }>()
const route = useRoute()
const { data, error, refetch } = useQuery(() => queries.applications(props.where || undefined))
const name = computed(() => String(route.query.application ?? ''))
const on = useQuery(() => ({
  ...queries.applicationMachines({ name: name.value, where: props.where || undefined }),
  enabled: name.value !== '',
}))
const to = (application: string) => ({ name: 'work', query: { ...route.query, application } })
</script>

<template>
  <TroubleBox v-if="error" :error="error" @again="refetch()" />
  <p v-else-if="!data" role="status" class="text-soft">Loading applications…</p>
  <p v-else-if="!data.applications.length" class="text-soft">
    {{ data.says }} The collectors read those that the target names.
  </p>
  <div v-else class="overflow-x-auto">
    <table class="w-full text-left text-sm">
      <thead class="text-soft">
        <tr>
          <th scope="col" class="py-1 pr-4 font-normal">Application</th>
          <th scope="col" class="py-1 pr-4 text-right font-normal">Machines</th>
          <th scope="col" class="py-1 pr-4 font-normal">What it takes</th>
          <th scope="col" class="py-1 pr-4 font-normal">Who settles it</th>
          <th scope="col" class="py-1 font-normal">Versions</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="a in data.applications" :key="a.name" class="border-t border-line/60 align-top">
          <th scope="row" class="py-1.5 pr-4">
            <span class="font-semibold">{{ a.name }}</span>
            <span v-if="a.publisher" class="block font-normal text-soft">{{ a.publisher }}</span>
          </th>
          <td class="py-1.5 pr-4 text-right tabular-nums">
            <RouterLink
              :to="to(a.name)"
              class="underline underline-offset-2"
              :aria-label="`${a.machines} machines with ${a.name}`"
              >{{ number(a.machines) }}</RouterLink
            >
          </td>
          <td class="py-1.5 pr-4">
            {{ capital(a.says) }}<span v-if="a.weighs" class="block text-soft">{{ a.weighs }}</span>
          </td>
          <td class="py-1.5 pr-4">{{ a.answers }}</td>
          <td class="py-1.5">
            <span v-for="v in a.versions" :key="v.version + v.takes" class="block">
              {{ v.version || 'unknown' }}
              <span class="text-soft"
                >· {{ number(v.machines) }} · {{ v.says
                }}<template v-if="v.note">. {{ v.note }}</template></span
              ><span v-if="v.terms" class="block text-soft">{{ v.terms }}</span>
            </span>
          </td>
        </tr>
      </tbody>
    </table>
  </div>
  <section v-if="name" aria-labelledby="with-application" class="mt-8">
    <h2 id="with-application" class="mb-2 border-b border-line pb-1.5 font-semibold">
      {{ name
      }}<template v-if="on.data.value"
        >: {{ count(on.data.value.total, 'installation', 'installations') }}</template
      >
    </h2>
    <TroubleBox v-if="on.error.value" :error="on.error.value" @again="on.refetch()" />
    <table v-else-if="on.data.value" class="w-full text-left text-sm">
      <tbody>
        <tr
          v-for="m in on.data.value.machines"
          :key="m.key + m.title + m.version"
          class="border-t border-line/60"
        >
          <th scope="row" class="py-1 pr-4 font-semibold">
            <RouterLink
              :to="{ name: 'machine', params: { machine: m.key } }"
              class="underline underline-offset-2"
              >{{ m.name }}</RouterLink
            >
          </th>
          <td class="py-1 pr-4">{{ m.site }}</td>
          <td class="py-1 pr-4">{{ m.title }} {{ m.version }}</td>
          <td class="py-1">{{ capital(m.says) }}</td>
        </tr>
      </tbody>
    </table>
  </section>
</template>
