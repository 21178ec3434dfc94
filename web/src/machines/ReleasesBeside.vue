<script setup lang="ts">
import { useQuery } from '@pinia/colada'
import { computed } from 'vue'

import type { Disposition, Schemas } from '../client'
import { queries } from '../queries'
import DispositionMark from '../ui/DispositionMark.vue'

const props = defineProps<{ machine: string; check: Schemas['AssessDocument'] }>()
const releases = useQuery(queries.releases())
/** The latest revision of every other release of the class. */
const others = computed(() => {
  const seen = new Set<string>([props.check.release.id])
  return (releases.data.value?.releases ?? []).filter((r) => {
    const fresh = r.class === props.check.machine.class && !seen.has(r.id)
    seen.add(r.id)
    return fresh
  })
})
const checks = useQuery(() => ({
  ...queries.beside(
    props.machine,
    others.value.map((r) => r.id),
  ),
  enabled: others.value.length > 0,
}))
const columns = computed(() => [props.check, ...(checks.data.value ?? [])])
/** Requirements that are not met, or not known, in one of them. */
const rows = computed(() => {
  const titles: string[] = []
  for (const c of columns.value)
    for (const f of c.findings)
      if (
        f.level === 'must' &&
        (f.outcome === 'fail' || f.outcome === 'unknown') &&
        !titles.includes(f.title)
      )
        titles.push(f.title)
  return titles.map((title) => ({
    title,
    cells: columns.value.map((c) => c.findings.find((f) => f.title === title && f.level === 'must')),
  }))
})
const words: Record<string, string> = {
  pass: 'met',
  fail: 'not met',
  unknown: 'unknown',
  'not-applicable': 'does not apply',
}
</script>

<template>
  <section v-if="checks.data.value?.length" aria-labelledby="beside" class="mt-9">
    <h2 id="beside" class="mb-2 border-b border-line pb-1.5 font-semibold">Other releases</h2>
    <div class="overflow-x-auto">
      <table class="w-full text-left align-baseline">
        <thead>
          <tr>
            <td></td>
            <th v-for="c in columns" :key="c.release.id" scope="col" class="py-1 pr-6 font-semibold">
              <RouterLink
                :to="{ name: 'release', params: { id: c.release.id } }"
                class="underline-offset-2 hover:underline"
                >{{ c.release.name }}</RouterLink
              >
              <span v-if="c.release.test_release" class="block text-xs font-normal text-soft"
                >for testing</span
              >
            </th>
          </tr>
        </thead>
        <tbody>
          <tr class="border-t border-line/60 align-baseline">
            <th scope="row" class="py-1.5 pr-4 font-normal text-soft">What it takes</th>
            <td v-for="c in columns" :key="c.release.id" class="py-1.5 pr-6">
              <DispositionMark :of="c.disposition as Disposition" />
              <span class="block text-sm text-soft">{{ c.answer }}</span>
            </td>
          </tr>
          <tr v-for="r in rows" :key="r.title" class="border-t border-line/60 align-baseline">
            <th scope="row" class="py-1.5 pr-4 font-normal text-soft">{{ r.title }}</th>
            <td v-for="(f, i) in r.cells" :key="i" class="py-1.5 pr-6">
              <span v-if="!f" class="text-soft">not asked</span>
              <template v-else>
                <b v-if="f.outcome !== 'pass'">{{ words[f.outcome] }}</b><template v-else>{{
                  words[f.outcome]
                }}</template>
                <span v-if="f.outcome === 'fail' || f.outcome === 'unknown'" class="block text-sm text-soft"
                  >{{ f.has }} → {{ f.needs }}</span
                >
              </template>
            </td>
          </tr>
        </tbody>
      </table>
    </div>
  </section>
</template>
