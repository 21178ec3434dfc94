import { ref, type ComputedRef } from 'vue'

import { api, ask, type Schemas } from '../client'
import { useAction } from '../use/useAction'
import { capital, count } from '../words'

/** What is done with a wave, and what came of the latest of it. */
export function useWave(id: ComputedRef<number>, refetch: () => Promise<unknown>) {
  const { busy, says, trouble, run: act } = useAction()
  /** Problems of single machines, where the whole went well. */
  const lines = ref<string[]>([])
  const refused = ref<Schemas['WaveRefusal'][]>([])
  const path = () => ({ path: { id: id.value } })

  function run(f: () => Promise<string>) {
    lines.value = []
    refused.value = []
    return act(async () => {
      const came = await f()
      await refetch()
      return came
    })
  }
  const fill = (keys: string[], byName: boolean, day: string) =>
    run(async () => {
      const got = await ask(
        api.POST('/waves/{id}/machines', {
          params: path(),
          body: keys.length ? { keys, by_name: byName || undefined, day: day || undefined } : {},
        }),
      )
      refused.value = keys.length ? got.refusals : []
      const moved = got.moved
        ? ` ${capital(count(got.moved, 'machine has', 'machines have'))} another day.`
        : ''
      return `${capital(count(got.added, 'machine', 'machines'))} more in the wave.${moved}`
    })
  const drop = (m: Schemas['WaveMachine']) =>
    run(async () => {
      await ask(api.DELETE('/waves/{id}/machines/{key}', { params: { path: { id: id.value, key: m.key } } }))
      return `${m.name} is out of the wave.`
    })
  const handOver = () =>
    run(async () => {
      const got = await ask(api.POST('/waves/{id}/hand-off', { params: path() }))
      lines.value = got.refused.map((m) => `Not ${m.name}: ${m.reason}.`)
      return `${count(got.machines.length, 'machine is', 'machines are')} with the deployment system.`
    })
  const resume = (reason: string) =>
    run(async () => {
      await ask(api.POST('/waves/{id}/resume', { params: path(), body: { reason } }))
      return 'The wave goes on.'
    })
  const end = () =>
    act(async () => {
      await ask(api.DELETE('/waves/{id}', { params: path() }))
    })

  function took(got: Schemas['OutcomesTaken']) {
    lines.value = got.problems ?? []
    return `${count(got.taken, 'outcome', 'outcomes')} recorded.`
  }
  /** Tells an outcome, and says whether it was taken. */
  async function tell(machine: string, outcome: Outcome, reason?: string) {
    let taken = 0
    await run(async () => {
      const got = await ask(
        api.POST('/waves/{id}/outcomes', {
          params: path(),
          body: { outcomes: [{ machine, outcome, reason: reason || undefined }] },
        }),
      )
      taken = got.taken
      return took(got)
    })
    return taken > 0
  }
  return { busy, says, trouble, lines, refused, fill, drop, handOver, resume, end, tell }
}

type Outcome = Schemas['SaidOutcome']['outcome']
