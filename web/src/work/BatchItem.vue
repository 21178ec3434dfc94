<script setup lang="ts">
import type { Schemas } from '../client'
import { count, hours, number } from '../words'

/** One step on many machines: how many, what, by whom, and where first. */
defineProps<{ b: Schemas['Batch'] }>()
const list = (where: string) => ({ name: 'machines', query: { where } })
</script>

<template>
  <li
    class="grid gap-x-6 gap-y-1 border-t border-line/60 py-2.5 md:grid-cols-[5rem_minmax(0,5fr)_minmax(0,6fr)]"
  >
    <RouterLink
      :to="list(b.where)"
      class="text-[21px] leading-tight font-semibold underline-offset-2 hover:underline"
      :aria-label="`${b.machines} machines: ${b.title}`"
      >{{ number(b.machines) }}</RouterLink
    >
    <div>
      <h3 class="font-semibold">
        {{ b.title }}<span v-if="b.weights" class="font-normal text-soft"> · {{ b.weights.says }}</span>
      </h3>
      <p class="text-sm text-soft">
        {{ b.closes ? 'Finds out what is unknown. ' : '' }}By {{ b.by
        }}{{ b.host ? ', on the hosts of the virtual machines' : '' }}; {{ hours(b.minutes) }} per
        machine<template v-if="b.expected"
          >; on {{ b.expected === b.machines ? 'all of them' : number(b.expected) }} the effect is not
          certain</template
        ><template v-if="b.waiting">; {{ number(b.waiting) }} postponed</template>.
      </p>
      <p v-if="b.installs" class="text-sm text-soft">
        {{
          b.now === b.machines
            ? 'Nothing else comes first.'
            : `On ${number(b.now ?? 0)} of them nothing else comes first.`
        }}
        <RouterLink :to="{ name: 'work', query: { tab: 'waves' } }" class="link"
          >Put them into a wave</RouterLink
        >.
      </p>
      <ul v-if="b.packages?.length" class="mt-1 text-[13px]">
        <li v-for="p in b.packages" :key="p.release + p.package + p.none">
          {{ p.release }}: <template v-if="p.file">{{ p.file }}</template><template v-else>{{
            p.none
          }}</template>
          <span class="text-soft"> · {{ count(p.machines, 'machine', 'machines') }}</span>
          <span v-if="p.sha256" class="block truncate text-soft" :title="p.sha256"
            >SHA-256 {{ p.sha256 }}</span
          >
        </li>
      </ul>
    </div>
    <p v-if="b.pilot?.length" class="text-sm">
      <span class="text-soft">First on</span>
      <template v-for="(m, i) in b.pilot" :key="m.key"
        >{{ i ? ', ' : ' '
        }}<RouterLink
          :to="{ name: 'machine', params: { machine: m.key } }"
          class="underline underline-offset-2"
          >{{ m.name }}</RouterLink
        ></template
      ><span class="text-soft"
        >; if it works there, on the other
        {{ b.machines - b.pilot.length === 1 ? 'one' : number(b.machines - b.pilot.length) }}.</span
      >
    </p>
    <p v-else class="text-sm text-soft">Too few machines for a pilot.</p>
  </li>
</template>
