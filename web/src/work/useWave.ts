import { ref, type ComputedRef } from 'vue'

import { api, ask, type Schemas } from '../client'
import { inBase64 } from '../file'
import { useAction } from '../use/useAction'
import { count } from '../words'

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
  const fill = (keys: string[], byName: boolean) =>
    run(async () => {
      const got = await ask(
        api.POST('/waves/{id}/machines', {
          params: path(),
          body: keys.length ? { keys, by_name: byName || undefined } : {},
        }),
      )
      refused.value = keys.length ? got.refusals : []
      return `${count(got.added, 'machine', 'machines')} more in the wave.`
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
  const tellFile = (file: File) =>
    run(async () =>
      took(
        await ask(
          api.POST('/waves/{id}/outcomes/file', {
            params: path(),
            body: { name: file.name, content: await inBase64(file) },
          }),
        ),
      ),
    )
  return { busy, says, trouble, lines, refused, fill, drop, handOver, end, tell, tellFile }
}

type Outcome = Schemas['SaidOutcome']['outcome']
