<script setup lang="ts">
import { Disclosure, DisclosureButton, DisclosurePanel } from '@headlessui/vue'
import { ref } from 'vue'

import { api, ask, type Schemas } from '../client'
import { inBase64 } from '../file'
import TroubleBox from '../ui/TroubleBox.vue'
import { usePermissions } from '../use/usePermissions'
import { sayDay } from '../words'

/** The pages that a release keeps as evidence, and what a newer one of each changed. */
const props = defineProps<{ rel: Schemas['Release'] }>()
const { manages } = usePermissions()
const compared = ref<Schemas['PageComparison']>()
const trouble = ref<unknown>()
const reading = ref('')

async function compare(event: Event, page: string) {
  const chosen = (event.target as HTMLInputElement).files?.[0]
  if (!chosen) return
  reading.value = page
  trouble.value = compared.value = undefined
  try {
    compared.value = await ask(
      api.POST('/releases/{id}/compare-page', {
        params: { path: { id: props.rel.id } },
        body: {
          name: chosen.name,
          content: await inBase64(chosen),
          page,
          revision: props.rel.revision,
        },
      }),
    )
  } catch (e) {
    trouble.value = e
  } finally {
    reading.value = ''
  }
}
</script>

<template>
  <section v-for="p in rel.pages" :key="p.id" class="mb-7">
    <Disclosure v-slot="{ open }">
      <h2 class="mb-2 border-b border-line pb-1.5 font-semibold">
        <DisclosureButton class="cursor-pointer text-left"
          ><span aria-hidden="true" class="text-soft">{{ open ? '▾' : '▸' }}</span> Text of the page
          {{ p.id }}, saved on {{ sayDay(p.saved) }}</DisclosureButton
        >
      </h2>
      <DisclosurePanel>
        <p v-for="(line, i) in p.sentences" :key="i" class="py-0.5 wrap-anywhere">
          {{ line.replaceAll('\t', ' | ') }}
        </p>
      </DisclosurePanel>
    </Disclosure>
    <label v-if="manages" class="no-print block">
      <span class="text-soft">Compare a newer page with it</span>
      <input
        type="file"
        accept=".html,.htm,.txt"
        class="mt-1 block w-full text-sm"
        @click="($event.target as HTMLInputElement).value = ''"
        @change="compare($event, p.id)"
      />
    </label>
    <p v-if="reading === p.id" role="status" class="mt-2 text-soft">Comparing…</p>
    <TroubleBox v-if="trouble" :error="trouble" class="mt-2" />
    <div v-if="compared?.page === p.id" role="status" class="mt-3">
      <p class="font-semibold">{{ compared.says }}</p>
      <template v-for="gone in [compared.requirements.filter((q) => q.gone)]" :key="gone.length">
        <h3 v-if="gone.length" class="mt-3 font-semibold">Requirements that point to words that are gone</h3>
        <p v-for="q in gone" :key="q.requirement" class="py-0.5">
          <b>{{ q.title }}</b>: “{{ q.quote }}”<template v-if="q.nearest"
            >. Now: “{{ q.nearest.replaceAll('\t', ' | ') }}”</template
          >
        </p>
      </template>
      <template
        v-for="part in [
          { title: 'Gone', lines: compared.removed },
          { title: 'New', lines: compared.added },
        ]"
        :key="part.title"
      >
        <h3 v-if="part.lines.length" class="mt-3 font-semibold">{{ part.title }}</h3>
        <ul class="list-disc pl-5">
          <li v-for="(line, i) in part.lines" :key="i" class="wrap-anywhere">
            {{ line.replaceAll('\t', ' | ') }}
          </li>
        </ul>
      </template>
    </div>
  </section>
</template>
