<script setup lang="ts">
import AppButton from '../ui/AppButton.vue'
import { Disclosure, DisclosureButton, DisclosurePanel } from '@headlessui/vue'
import { useQuery } from '@pinia/colada'
import { computed, ref } from 'vue'

import { useRouter } from 'vue-router'

import { api, ask } from '../client'
import AfterView from '../parts/AfterView.vue'
import CheckBeside from '../parts/CheckBeside.vue'
import DispositionMark from '../parts/DispositionMark.vue'
import DoubtList from '../parts/DoubtList.vue'
import FactForm from '../parts/FactForm.vue'
import FindingItem from '../parts/FindingItem.vue'
import PlanList from '../parts/PlanList.vue'
import ReleasesBeside from '../parts/ReleasesBeside.vue'
import TroubleBox from '../parts/TroubleBox.vue'
import TickBox from '../parts/TickBox.vue'
import VisitLink from '../parts/VisitLink.vue'
import VouchedLine from '../parts/VouchedLine.vue'
import DecisionForm from '../work/DecisionForm.vue'
import DecisionList from '../work/DecisionList.vue'
import { useSession } from '../session'
import { capital, sayDay, sayMoment } from '../words'
import { confirm } from '../ui/confirm'

const props = defineProps<{ machine: string }>()
const {
  data: device,
  error,
  refetch,
} = useQuery({
  key: () => ['device', props.machine],
  query: () => ask(api.GET('/devices/{key}', { params: { path: { key: props.machine } } })),
})
const { data: who } = useSession()
/** Whether whoever is signed in works on machines. */
const may = computed(() => ['work', 'manage'].includes(who.value?.scope ?? ''))
const check = computed(() => device.value?.check)
const findings = computed(() => check.value?.findings ?? [])
const fails = computed(() => findings.value.filter((f) => f.level === 'must' && f.outcome === 'fail'))
const unknowns = computed(() => findings.value.filter((f) => f.level === 'must' && f.outcome === 'unknown'))
const advice = computed(() => findings.value.filter((f) => f.level === 'should' && f.outcome === 'fail'))
const waived = computed(() => findings.value.filter((f) => f.outcome === 'waived'))
const rest = computed(() => {
  const shown = new Set([...waived.value, ...fails.value, ...unknowns.value, ...advice.value])
  return findings.value.filter((f) => !shown.has(f) && !(f.interim && f.outcome === 'not-applicable'))
})
const passes = computed(() => rest.value.filter((f) => f.outcome === 'pass').map((f) => f.title))
const missing = computed(
  () => device.value?.facts.flatMap((g) => g.facts).filter((f) => !f.known).length ?? 0,
)
/** The inventory that decides. */
const latest = computed(() => device.value?.history.find((h) => !h.beside)?.id)
const visited = computed(() => check.value?.plan.some((s) => s.phase === 'desk') ?? false)
const router = useRouter()
async function remove() {
  const d = device.value
  if (!d) return
  const yes = await confirm({
    title: `Remove ${d.name}?`,
    text: 'Its inventories, facts and ticks are removed with it, for good.',
    action: 'Remove machine',
  })
  if (!yes) return
  const { error: refused } = await api.DELETE('/devices/{key}', { params: { path: { key: d.key } } })
  if (!refused) await router.push({ name: 'devices' })
}
const manages = computed(() => who.value?.scope === 'manage')
const deciding = ref(false)
/** What may be asked to be waived here: what fails. */
const waivable = computed(() => fails.value.map((f) => ({ id: f.requirement, title: f.title })))
/** A machine leaves where it is replaced, out of use, or somebody has begun with it. */
const leaves = computed(
  () =>
    check.value?.disposition === 'replace' ||
    device.value?.retired ||
    device.value?.leaving.some((l) => l.ticked),
)
const outcomes: Record<string, string> = {
  waiting: 'waiting',
  handed: 'under way',
  arrived: 'on the release',
  failed: 'failed',
  back: 'went back',
}
/** The earlier inventory that the work is measured from. */
const since = ref<number>()
async function takeBack(fact: string) {
  await ask(
    api.DELETE('/devices/{key}/facts/{fact}', { params: { path: { key: props.machine, fact } } }),
  ).catch(() => undefined)
  await refetch()
}
const turned = { inventory: 'a new inventory', facts: 'facts that were entered', rules: 'other rules' }
const link = 'underline underline-offset-2 hover:text-ink'
const reports = [
  { name: 'Report', query: '' },
  { name: 'Page for its user', query: '?for=user' },
  { name: 'Ticket text', query: '?format=markdown' },
]
const reportAddress = (query: string) => `/api/devices/${encodeURIComponent(props.machine)}/report${query}`
const about = computed(() => {
  const d = device.value
  return d
    ? [d.name, `${d.manufacturer} ${d.model}`.trim(), d.place, d.installed].filter(Boolean).join(' · ')
    : ''
})
</script>

<template>
  <TroubleBox v-if="error" :error="error" @again="refetch()" />
  <p v-else-if="!device" role="status" class="text-soft">Checking the machine…</p>
  <template v-else>
    <p class="flex flex-wrap gap-x-4 text-soft">
      {{ about }}
      <span class="no-print ml-auto flex flex-wrap items-baseline gap-x-4 text-sm">
        <template v-if="check">
          <a
            v-for="r in reports"
            :key="r.query"
            :href="reportAddress(r.query)"
            target="_blank"
            :class="link"
            >{{ r.name }}</a
          >
          <template v-if="visited">
            <a :href="reportAddress('?for=visit')" target="_blank" :class="link">Visit sheet</a>
            <VisitLink v-if="may" :machine="device.key" :name="device.name" />
          </template>
        </template>
        <RouterLink :to="{ name: 'compare', query: { a: device.key } }" :class="link"
          >Compare with another machine</RouterLink
        >
      </span>
    </p>
    <section
      v-if="device.doubts?.length"
      aria-label="Which machine this is"
      class="no-print my-3 rounded-lg border border-line bg-card px-4 py-2"
    >
      <DoubtList :doubts="device.doubts" :may="may" @settled="refetch()" />
    </section>
    <p v-if="device.tags?.length || device.retired || device.stale" class="text-sm text-soft">
      <RouterLink
        v-for="t in device.tags"
        :key="t"
        :to="{ name: 'devices', query: { where: `tag=${t}` } }"
        class="mr-1.5 rounded border border-line px-1 hover:text-ink"
        >{{ t }}</RouterLink
      >
      <span v-if="device.retired">Out of use. </span>
      <span v-if="device.stale">It has not reported for longer than it should.</span>
    </p>
    <p v-if="device.wave || device.who || device.work_note" class="flex flex-wrap gap-x-4 text-sm text-soft">
      <span v-if="device.wave"
        >In the wave
        <RouterLink :to="{ name: 'wave', params: { id: device.wave.id } }" :class="link">{{
          device.wave.name
        }}</RouterLink>
        ({{ sayDay(device.wave.starts) }} to {{ sayDay(device.wave.ends) }}):
        {{ outcomes[device.wave.outcome]
        }}<template v-if="device.wave.reason">; {{ device.wave.reason }}</template></span
      >
      <span v-if="device.who || device.work_note"
        >{{ device.who ? `The work is given to ${device.who}` : 'Note'
        }}<template v-if="device.work_note">: {{ device.work_note }}</template></span
      >
    </p>
    <template v-if="check">
      <h1 class="mb-1 text-[27px] leading-tight font-semibold tracking-tight">
        <DispositionMark :of="check.disposition" big /><span
          v-if="check.certainty === 'expected' && check.disposition !== 'undetermined'"
          class="font-normal text-soft"
          >, expected</span
        >: {{ check.answer }}
      </h1>
      <p class="text-soft">
        {{ check.details?.join(' ') }}
        <span v-if="check.publisher && check.publisher.disposition !== check.disposition">
          By the publisher's requirements alone: <b>{{ check.publisher.disposition }}</b>;
          {{ check.publisher.answer }}
        </span>
      </p>
      <p class="mb-6 text-sm text-soft">
        <RouterLink
          :to="{ name: 'release', params: { id: check.release.id } }"
          class="underline underline-offset-2 hover:text-ink"
          >{{ check.release.name }}, revision {{ check.release.revision }}</RouterLink
        >
        · inventory of {{ sayMoment(check.machine.taken_at)
        }}<template v-if="check.machine.elevated !== undefined"
          >, {{ check.machine.elevated ? 'with' : 'without' }} rights</template
        >
        · {{ check.coverage.read }} of {{ check.coverage.needed }} needed facts read
        <template v-if="check.support">
          · {{ check.support.release }}
          <template v-if="check.support.not_here">is not supported on this machine</template>
          <template v-else>
            {{ check.support.days < 0 ? 'went out of support on' : 'is supported until' }}
            {{ sayDay(check.support.ends) }}
          </template>
        </template>
      </p>
      <VouchedLine :device="device" :may="may" class="-mt-5" @changed="refetch()" />
      <p v-for="w in check.warnings" :key="w" class="mb-3 font-semibold">{{ w }}</p>
      <p v-for="n in check.next" :key="n.release.id" class="-mt-4 mb-6">
        Next,
        <RouterLink
          :to="{ name: 'release', params: { id: n.release.id } }"
          class="underline underline-offset-2"
          >{{ n.release.name }}</RouterLink><span v-if="n.release.test_release" class="text-soft">
          (for testing)</span
        >: <b>{{ n.disposition }}</b>. {{ capital(n.answer)
        }}<span v-if="n.fails?.length" class="text-soft">
          It fails there and not here: {{ n.fails.map((f) => f.toLowerCase()).join(', ') }}.</span
        >
      </p>

      <div class="grid gap-x-9 gap-y-8 lg:grid-cols-[7fr_5fr]">
        <div class="max-lg:contents">
          <section v-if="fails.length" aria-labelledby="fails" class="mb-7">
            <h2 id="fails" class="border-b border-line pb-1.5 font-semibold">
              {{ check.counts.fail }} of {{ check.counts.musts }} requirements
              {{ check.counts.fail === 1 ? 'is' : 'are' }} not met
            </h2>
            <ul>
              <FindingItem v-for="f in fails" :key="f.requirement" :finding="f" />
            </ul>
          </section>
          <section v-if="unknowns.length" aria-labelledby="unknowns" class="mb-7">
            <h2 id="unknowns" class="border-b border-line pb-1.5 font-semibold">
              {{ unknowns.length }} of {{ check.counts.musts }} {{ unknowns.length === 1 ? 'is' : 'are' }} not
              known
            </h2>
            <ul>
              <FindingItem v-for="f in unknowns" :key="f.requirement" :finding="f" />
            </ul>
          </section>
          <section v-if="advice.length" aria-labelledby="advice" class="mb-7">
            <h2 id="advice" class="border-b border-line pb-1.5 font-semibold">Advised, and not followed</h2>
            <ul>
              <FindingItem v-for="f in advice" :key="f.requirement" :finding="f" />
            </ul>
          </section>
          <section v-if="waived.length" aria-labelledby="waived" class="mb-7">
            <h2 id="waived" class="border-b border-line pb-1.5 font-semibold">
              Not met, and waived until a date
            </h2>
            <ul>
              <FindingItem v-for="f in waived" :key="f.requirement" :finding="f" />
            </ul>
          </section>
          <Disclosure v-slot="{ open }">
            <DisclosureButton class="cursor-pointer text-left text-soft hover:text-ink">
              <span aria-hidden="true">{{ open ? '▾' : '▸' }}</span>
              {{ check.counts.pass }} of {{ check.counts.musts }} requirements are met<template
                v-if="passes.length && !open"
                >: {{ passes.slice(0, 6).join(', ') }}{{ passes.length > 6 ? ' …' : '' }}</template
              >
            </DisclosureButton>
            <DisclosurePanel>
              <ul>
                <FindingItem v-for="f in rest" :key="f.requirement" :finding="f" />
              </ul>
            </DisclosurePanel>
          </Disclosure>

          <CheckBeside
            class="max-lg:order-2"
            :check="check"
            :machine="device.key"
            :may="may"
            @said="refetch()"
          />
        </div>
        <div class="max-lg:order-1">
          <section v-if="check.decide" aria-labelledby="decide" class="mb-7">
            <h2 id="decide" class="border-b border-line pb-1.5 font-semibold">To decide</h2>
            <ul class="mt-2 list-disc space-y-1 pl-5">
              <li v-for="w in check.decide.says" :key="w">{{ w }}</li>
            </ul>
            <Disclosure v-if="check.decide.step">
              <DisclosureButton class="mt-2 cursor-pointer text-sm text-accent underline underline-offset-2"
                >Show a step of your own</DisclosureButton
              >
              <DisclosurePanel>
                <pre
                  class="mt-2 overflow-x-auto rounded-lg border border-line bg-card p-3 text-[13px]"
                  tabindex="0"
                  >{{ check.decide.step }}</pre>
              </DisclosurePanel>
            </Disclosure>
          </section>
          <section v-if="check.plan.length" aria-labelledby="plan">
            <h2 id="plan" class="mb-3 border-b border-line pb-1.5 font-semibold">The plan, in this order</h2>
            <PlanList :check="check" :machine="device.key" :may="may" @said="refetch()" />
          </section>
        </div>
      </div>
      <ReleasesBeside :machine="device.key" :check="check" />
      <section
        v-if="device.decisions?.length || may"
        aria-labelledby="decided"
        class="mt-9"
        :class="{ 'no-print': !device.decisions?.length }"
      >
        <h2 id="decided" class="mb-1 flex items-baseline border-b border-line pb-1.5 font-semibold">
          Decided about it
          <AppButton
            v-if="may"
            kind="link"
            small
            :aria-expanded="deciding"
            class="no-print ml-auto font-normal"
            @click="deciding = !deciding"
          >
            {{ deciding ? 'Close' : 'Decide something' }}
          </AppButton>
        </h2>
        <p v-if="!device.decisions?.length && !deciding" class="py-1 text-sm text-soft">Nothing is.</p>
        <DecisionList
          :decisions="device.decisions ?? []"
          :may="may"
          :manages="manages"
          one
          @changed="refetch()"
        />
        <DecisionForm
          v-if="deciding"
          class="mt-3 max-w-2xl"
          :manages="manages"
          :scope="`key=${device.key}`"
          :fails="waivable"
          @made="refetch()"
        />
      </section>
      <section v-if="leaves" aria-labelledby="leaving" class="mt-9">
        <h2 id="leaving" class="mb-1 border-b border-line pb-1.5 font-semibold">When it leaves</h2>
        <ul class="max-w-[75ch] text-[14px]">
          <li v-for="l in device.leaving" :key="l.id" class="py-1.5">
            <b>{{ l.title }}</b> <span class="text-soft">{{ l.says }}</span>
            <TickBox
              :machine="device.key"
              kind="leave"
              :item="l.id"
              :title="l.title"
              :ticked="l.ticked"
              :may="may"
              @said="refetch()"
            />
          </li>
        </ul>
      </section>
    </template>
    <template v-else>
      <h1 class="mb-1 text-[27px] leading-tight font-semibold">{{ device.name }}</h1>
      <p class="mb-6">{{ device.no_check }}</p>
    </template>

    <section aria-labelledby="inventory" class="mt-9">
      <h2 id="inventory" class="mb-2 border-b border-line pb-1.5 font-semibold">
        The inventory<span class="font-normal text-soft">{{
          missing ? `; ${missing} facts are not known` : ''
        }}</span>
      </h2>
      <Disclosure
        v-for="g in device.facts"
        :key="g.group"
        v-slot="{ open }"
        as="div"
        class="border-b border-line/60"
        :data-group="g.group"
      >
        <DisclosureButton class="flex w-full cursor-pointer items-baseline gap-2 py-1.5 text-left">
          <span aria-hidden="true" class="text-soft">{{ open ? '▾' : '▸' }}</span>
          <span class="w-40 shrink-0 font-semibold">{{ g.group }}</span>
          <span v-if="!open" class="truncate text-soft">{{ g.summary }}</span>
        </DisclosureButton>
        <DisclosurePanel>
          <table class="mb-3 w-full text-left text-sm">
            <tbody>
              <tr
                v-for="f in g.facts"
                :key="f.fact + f.label"
                :data-fact="f.fact"
                class="border-t border-line/40 align-baseline"
              >
                <th scope="row" class="w-64 py-1 pr-4 pl-6 font-normal" :title="f.fact">{{ f.label }}</th>
                <td v-if="f.known" class="py-1 pr-4">{{ f.value }}</td>
                <td v-else class="py-1 pr-4 text-soft">
                  {{ f.why }} {{ f.try }}
                  <FactForm
                    v-if="may"
                    :machine="device.key"
                    :fact="f.fact"
                    :label="f.label"
                    :choices="f.choices"
                    :example="f.example"
                    :model="device.same_model"
                    @entered="refetch()"
                  />
                </td>
                <td class="w-64 py-1 wrap-anywhere text-soft">{{ f.source }}</td>
              </tr>
            </tbody>
          </table>
        </DisclosurePanel>
      </Disclosure>
    </section>

    <section v-if="device.hand?.length" aria-labelledby="hand" class="mt-8">
      <h2 id="hand" class="mb-2 border-b border-line pb-1.5 font-semibold">Entered by hand</h2>
      <ul class="text-sm">
        <li v-for="h in device.hand" :key="h.fact" class="flex flex-wrap gap-x-3 py-0.5">
          <span
            ><span class="text-soft">{{ capital(h.label) }}:</span> <b>{{ h.value }}</b></span
          >
          <span class="text-soft"
            >{{ h.by }}, {{ sayMoment(h.at) }}<template v-if="h.note">; {{ h.note }}</template></span
          >
          <span v-if="h.problem" class="text-replace">Not in the latest inventory: {{ h.problem }}</span>
          <AppButton v-if="may" kind="link" @click="takeBack(h.fact)"> Take it back </AppButton>
        </li>
      </ul>
    </section>

    <section aria-labelledby="history" class="mt-8">
      <h2 id="history" class="mb-2 border-b border-line pb-1.5 font-semibold">History</h2>
      <ul v-if="device.changes?.length" class="mb-3 text-sm" aria-label="Disposition over time">
        <li v-for="c in device.changes" :key="c.at + c.release" class="py-0.5">
          {{ sayMoment(c.at) }}: {{ capital(c.was) }} → <b>{{ capital(c.becomes) }}</b>
          <span class="text-soft"
            >against {{ c.release }}, by {{ turned[c.cause]
            }}{{ c.by?.length ? ` (${c.by.join(', ')})` : '' }}</span
          >
        </li>
      </ul>
      <ul class="text-sm">
        <li v-for="h in device.history" :key="h.id" class="py-0.5">
          <a :href="`/api/devices/${device.key}/inventory?id=${h.id}`" class="underline underline-offset-2">{{
            sayMoment(h.last_seen)
          }}</a>
          <span v-if="h.taken_at !== h.last_seen" class="text-soft"
            >, the same readings since {{ sayMoment(h.taken_at) }}</span
          >
          <span v-if="h.beside" class="font-semibold">: beside the others, and decides nothing</span>
          <RouterLink
            v-if="h.id !== latest"
            :to="{ name: 'compare', query: { a: device.key, inventory_a: h.id, b: device.key } }"
            class="ml-3 text-accent underline underline-offset-2"
            >Compare with the latest</RouterLink
          >
          <AppButton
            v-if="check && h.id !== latest"
            kind="link"
            :aria-expanded="since === h.id"
            class="ml-3"
            @click="since = since === h.id ? undefined : h.id"
          >
            What the work since has come to
          </AppButton>
          <AfterView v-if="since === h.id" class="mt-2 mb-3" :machine="device.key" :inventory="h.id" />
        </li>
      </ul>
      <button
        v-if="who?.scope === 'manage'"
        type="button"
        class="no-print mt-6 cursor-pointer text-sm text-replace underline underline-offset-2"
        @click="remove"
      >
        Remove this machine and everything about it
      </button>
    </section>
  </template>
</template>
