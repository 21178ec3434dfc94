<script setup lang="ts">
import { useQuery } from '@pinia/colada'
import { computed } from 'vue'

import { queries } from '../queries'
import TroubleBox from '../ui/TroubleBox.vue'
import { usePermissions } from '../use/usePermissions'
import { sayDay } from '../words'

const { manages } = usePermissions()
const { data, error, refetch } = useQuery(queries.releases())
const classes = { pc: 'PCs', mac: 'Macs' }
/** Each release once, with how many revisions of it are kept. */
const rows = computed(() => {
  const all = data.value?.releases ?? []
  return all
    .filter((r, i) => all.findIndex((x) => x.id === r.id) === i)
    .map((r) => ({
      ...r,
      kept: all.filter((x) => x.id === r.id).length,
      judging: all.find((x) => x.id === r.id && x.target)?.revision,
    }))
})
</script>

<template>
  <div class="mb-4 flex flex-wrap items-baseline gap-3">
    <h1 class="text-[27px] leading-tight font-semibold tracking-tight">Releases</h1>
    <template v-if="manages">
      <RouterLink
        :to="{ name: 'release-new' }"
        class="ml-auto rounded-md border border-line px-3 py-1 font-semibold hover:bg-shade"
        >Write release document</RouterLink
      >
      <RouterLink
        :to="{ name: 'list-import' }"
        class="rounded-md border border-line px-3 py-1 font-semibold hover:bg-shade"
        >Import a list</RouterLink
      >
    </template>
  </div>
  <TroubleBox v-if="error" :error="error" @again="refetch()" />
  <p v-else-if="!data" role="status" class="text-soft">Loading machines…</p>
  <p v-else-if="data.releases.length === 0" class="card p-5">
    No release documents. Write one here, or add a file with
    <code>rolltop releases add FILE</code>.
  </p>
  <table v-else class="w-full text-left">
    <thead>
      <tr class="border-b border-line text-sm text-soft">
        <th scope="col" class="py-1.5 pr-4 font-normal">Release</th>
        <th scope="col" class="py-1.5 pr-4 font-normal">For</th>
        <th scope="col" class="py-1.5 pr-4 font-normal">Latest revision</th>
        <th scope="col" class="py-1.5 pr-4 font-normal">Added</th>
        <th scope="col" class="py-1.5 font-normal">Use</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="r in rows" :key="r.id" class="border-b border-line/60">
        <td class="py-2 pr-4 font-semibold">
          <RouterLink
            :to="{ name: 'release', params: { id: r.id } }"
            class="underline-offset-2 hover:underline"
            >{{ r.name }}</RouterLink
          >
        </td>
        <td class="py-2 pr-4">{{ classes[r.class] }}</td>
        <td class="py-2 pr-4">
          {{ r.revision }}<span v-if="r.kept > 1" class="text-soft"> of {{ r.kept }} kept</span>
        </td>
        <td class="py-2 pr-4">{{ sayDay(r.added_at) }}</td>
        <td class="py-2">
          <template v-if="r.judging">Target, judged by revision {{ r.judging }}</template>
          <template v-if="r.draft">{{ r.judging ? '; ' : '' }}the latest is a draft</template>
          <template v-if="r.test_release">Release for testing</template>
        </td>
      </tr>
    </tbody>
  </table>
</template>
