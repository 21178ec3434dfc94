<script setup lang="ts">
import { useQuery } from '@pinia/colada'
import { computed } from 'vue'
import { useRoute } from 'vue-router'

import { queries } from '../queries'
import ActivateRelease from './ActivateRelease.vue'
import ChangeList from './ChangeList.vue'
import PageEvidence from './PageEvidence.vue'
import WhatIf from './WhatIf.vue'
import TroubleBox from '../ui/TroubleBox.vue'
import { usePermissions } from '../use/usePermissions'
import { sayDay } from '../words'

const props = defineProps<{ id: string }>()
const route = useRoute()
const { manages } = usePermissions()
const revision = computed(() => Number(route.query.revision ?? 0) || 0)
const against = computed(() => String(route.query.against ?? ''))
const { data: rel, error, refetch } = useQuery(() => queries.release(props.id, revision.value))
const earlier = computed(() => rel.value?.revisions.filter((r) => r.revision < rel.value!.revision) ?? [])
const difference = useQuery(() => ({
  ...queries.difference(props.id, { revision: revision.value, against: against.value }),
  enabled: against.value !== '' || earlier.value.length > 0,
}))
const others = useQuery(queries.releases())
const comparable = computed(() => {
  const seen = new Set<string>([props.id])
  return (others.data.value?.releases ?? []).filter((r) => {
    const fresh = r.class === rel.value?.class && !seen.has(r.id)
    seen.add(r.id)
    return fresh
  })
})
const levels = computed(() =>
  [
    { level: 'must', title: 'Required' },
    { level: 'should', title: 'Advised' },
    { level: 'feature', title: 'For optional features' },
  ]
    .map((l) => ({
      ...l,
      rows: rel.value?.requirements.filter((q) => q.level === l.level && !q.interim) ?? [],
    }))
    .filter((l) => l.rows.length > 0),
)
const changes = useQuery(queries.ruleChanges())
const turns = computed(() => (changes.data.value?.changes ?? []).filter((c) => c.release.id === props.id))
const failing = (id: string) => ({
  name: 'machines',
  query: { where: `fails=${id} class=${rel.value?.class}` },
})
</script>

<template>
  <TroubleBox v-if="error" :error="error" @again="refetch()" />
  <p v-else-if="!rel" role="status" class="text-soft">Loading the release…</p>
  <template v-else>
    <div class="flex flex-wrap items-baseline gap-x-4">
      <h1 class="mb-1 text-[27px] leading-tight font-semibold tracking-tight">{{ rel.name }}</h1>
      <RouterLink
        v-if="manages"
        :to="{ name: 'release-edit', params: { id: rel.id }, query: { revision: rel.revision } }"
        class="no-print ml-auto rounded-md border border-line px-3 py-1 font-semibold hover:bg-shade"
        >Write next revision</RouterLink
      >
    </div>
    <p class="text-soft">
      Revision {{ rel.revision }}, published {{ sayDay(rel.published) }}, from
      <code class="wrap-anywhere">{{ rel.source }}</code><template v-if="rel.retrieved">
        on {{ sayDay(rel.retrieved) }}</template
      ><template v-if="rel.entered_by"> by {{ rel.entered_by }}</template
      >. It installs on {{ rel.class === 'pc' ? 'PCs' : 'Macs'
      }}<template v-if="rel.target"> and is their target</template
      ><template v-else-if="!rel.draft">; it is not in force</template>.
    </p>
    <p v-if="rel.draft" class="font-semibold">A draft: the revision cannot judge the fleet.</p>
    <p v-if="rel.test_release" class="font-semibold">
      A test release: its requirements may still change, and it may be impossible to leave it.
    </p>
    <div class="mt-6 grid gap-x-9 gap-y-8 lg:grid-cols-[7fr_5fr]">
      <div>
        <section v-for="l in levels" :key="l.level" class="mb-7">
          <h2 class="border-b border-line pb-1.5 font-semibold">{{ l.title }}</h2>
          <ul>
            <li v-for="q in l.rows" :key="q.id" class="border-b border-line/60 py-2.5">
              <h3 class="font-semibold">
                {{ q.title }}
                <span
                  v-if="q.asked_by === 'house'"
                  class="ml-1 rounded border border-line px-1.5 text-xs font-normal text-soft"
                  >house standard</span
                >
                <span
                  v-if="q.feature"
                  class="ml-1 rounded border border-line px-1.5 text-xs font-normal text-soft"
                  >{{ q.feature }}</span
                >
              </h3>
              <p>{{ q.says }}</p>
              <p class="text-soft">
                {{ q.reason }}<span v-if="q.consequence"> Otherwise {{ q.consequence }}.</span>
                <RouterLink
                  v-if="rel.target"
                  :to="failing(q.id)"
                  class="ml-1 text-sm text-accent underline underline-offset-2"
                  >Machines that fail it</RouterLink
                >
              </p>
              <p v-if="q.quoted" class="text-sm text-soft">{{ q.quoted }}</p>
            </li>
          </ul>
        </section>
        <section v-if="!rel.target" aria-labelledby="what-if" class="no-print mb-8">
          <h2 id="what-if" class="mb-3 border-b border-line pb-1.5 font-semibold">Effect as the target</h2>
          <WhatIf :about="{ release: rel.id, revision: rel.revision }" label="Preview changes" />
          <ActivateRelease v-if="manages && !rel.draft" :rel="rel" />
        </section>
        <section v-if="turns.length" aria-labelledby="turns" class="mb-8">
          <h2 id="turns" class="mb-2 border-b border-line pb-1.5 font-semibold">Effect on the fleet</h2>
          <ul>
            <li v-for="c in turns" :key="c.id" class="py-0.5">
              <RouterLink
                :to="{ name: 'rule-change', params: { change: c.id } }"
                class="underline underline-offset-2"
                >{{ c.says }}</RouterLink
              >
              <span class="ml-2 text-soft">{{ sayDay(c.at) }}</span>
            </li>
          </ul>
        </section>
        <section v-if="difference.data.value || difference.error.value" aria-labelledby="changed">
          <h2 id="changed" class="mb-2 text-lg font-semibold">
            What changed<template v-if="difference.data.value"
              >, against {{ difference.data.value.from.name }}, revision
              {{ difference.data.value.from.revision }}</template
            >
          </h2>
          <TroubleBox
            v-if="difference.error.value"
            :error="difference.error.value"
            @again="difference.refetch()"
          />
          <ChangeList v-else-if="difference.data.value" :changes="difference.data.value.changes" />
        </section>
      </div>
      <aside class="text-[14px]">
        <section class="mb-7">
          <h2 class="mb-2 border-b border-line pb-1.5 font-semibold">Revisions</h2>
          <p v-for="r in rel.revisions" :key="r.revision" class="flex justify-between gap-3 py-0.5">
            <RouterLink
              :to="{ name: 'release', params: { id: rel.id }, query: { revision: r.revision } }"
              class="underline-offset-2 hover:underline"
              :class="{ 'font-semibold': r.revision === rel.revision }"
              >Revision {{ r.revision }}{{ r.draft ? ', draft' : ''
              }}{{ r.target ? ', judges now' : '' }}</RouterLink
            ><span class="text-soft">added {{ sayDay(r.added_at) }}</span>
          </p>
          <p v-if="comparable.length" class="mt-2">
            Compare with
            <template v-for="(r, i) in comparable" :key="r.id"
              ><span v-if="i > 0">, </span
              ><RouterLink
                :to="{ query: { ...route.query, against: r.id } }"
                class="text-accent underline underline-offset-2"
                >{{ r.name }}</RouterLink
              ></template
            >
          </p>
        </section>
        <section v-for="s in rel.sections" :key="s.title" class="mb-7">
          <h2 class="mb-2 border-b border-line pb-1.5 font-semibold">{{ s.title }}</h2>
          <p v-for="(line, i) in s.lines" :key="i" class="py-0.5 wrap-anywhere">{{ line }}</p>
        </section>
        <PageEvidence v-if="rel.pages.length" :key="rel.revision" :rel="rel" />
      </aside>
    </div>
  </template>
</template>
