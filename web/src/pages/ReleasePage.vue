<script setup lang="ts">
import { useQuery } from '@pinia/colada'
import { computed } from 'vue'
import { useRoute } from 'vue-router'

import { api, ask } from '../client'
import TroubleBox from '../parts/TroubleBox.vue'
import { capital, sayDay } from '../words'

const props = defineProps<{ id: string }>()
const route = useRoute()
const revision = computed(() => Number(route.query.revision ?? 0) || 0)
const {
  data: rel,
  error,
  refetch,
} = useQuery({
  key: () => ['release', props.id, revision.value],
  query: () =>
    ask(
      api.GET('/releases/{id}', { params: { path: { id: props.id }, query: { revision: revision.value } } }),
    ),
})
const levels = computed(() =>
  [
    { level: 'must', title: 'Required' },
    { level: 'should', title: 'Advised' },
    { level: 'feature', title: 'For optional features' },
  ]
    .map((l) => ({ ...l, rows: rel.value?.requirements.filter((q) => q.level === l.level) ?? [] }))
    .filter((l) => l.rows.length > 0),
)
const failing = (id: string) => ({
  name: 'devices',
  query: { where: `fails=${id} class=${rel.value?.class}` },
})
</script>

<template>
  <TroubleBox v-if="error" :error="error" @again="refetch()" />
  <p v-else-if="!rel" role="status" class="text-soft">Reading the release…</p>
  <template v-else>
    <h1 class="mb-1 text-[27px] leading-tight font-semibold tracking-tight">{{ rel.name }}</h1>
    <p class="mb-6 text-soft">
      Revision {{ rel.revision }}, published {{ sayDay(rel.published) }}, taken from
      <code>{{ rel.source }}</code>. It installs on {{ rel.class === 'pc' ? 'PCs' : 'Macs'
      }}<template v-if="rel.target"> and is their target</template>.
    </p>
    <div class="grid gap-x-9 gap-y-8 lg:grid-cols-[7fr_4fr]">
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
            </li>
          </ul>
        </section>
      </div>
      <aside>
        <section v-if="rel.support.length" class="mb-7">
          <h2 class="mb-2 border-b border-line pb-1.5 font-semibold">End of support</h2>
          <p v-for="s in rel.support" :key="s.release + s.edition" class="flex justify-between gap-3 py-0.5">
            <span>{{ s.release }} {{ s.edition }}</span
            ><span>{{ sayDay(s.ends) }}</span>
          </p>
        </section>
        <section v-if="rel.lists.length">
          <h2 class="mb-2 border-b border-line pb-1.5 font-semibold">Lists</h2>
          <p v-for="x in rel.lists" :key="x.id" class="py-0.5">
            {{ capital(x.of) }}: {{ x.rows }} rows<template v-if="x.rules"
              >, {{ x.rules }} naming rules</template
            >, {{ x.complete ? 'complete' : 'not complete' }}
          </p>
        </section>
      </aside>
    </div>
  </template>
</template>
