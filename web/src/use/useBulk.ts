import { ref } from 'vue'

import { api, ask, type Schemas } from '../client'
import { confirm } from '../ui/confirm'
import { capital, count } from '../words'
import { useAction } from './useAction'

/**
 * A change of many machines: it is tried first, a dialog says how many machines it changes and which, and the whole of
 * it can be undone.
 */
export function useBulk(changed: () => Promise<unknown> | void) {
  const { busy, says, trouble, run: act } = useAction()
  /** Number of the last change, while it can be undone here; 0: none. */
  const change = ref(0)

  /** Names of some machines, and how many there are besides. */
  function names(machines: Schemas['ManyChanged']['machines'], of: number) {
    const more = of - machines.length
    return machines.map((m) => m.name).join(', ') + (more > 0 ? `, and ${more} more` : '')
  }

  /** Tries a change, asks, and makes it; action is a verb for the button, as “Retire”. */
  const run = (
    action: string,
    call: (dryRun: boolean) => Promise<Schemas['ManyChanged']>,
    text = '',
  ): Promise<boolean> =>
    act(async () => {
      change.value = 0
      const trial = await call(true)
      if (trial.changed === 0) return trial.says
      const machines = count(trial.changed, 'machine', 'machines')
      const yes = await confirm({
        title: `${action} ${machines}?`,
        text: `${text}${capital(names(trial.machines, trial.changed))}. You can undo it as one.`,
        action: `${action} ${machines}`,
      })
      if (!yes) return 'Nothing was changed.'
      const got = await call(false)
      change.value = got.change ?? 0
      await changed()
      return got.says
    })

  const undo = () =>
    act(async () => {
      const got = await ask(api.POST('/bulk-changes/{id}/undo', { params: { path: { id: change.value } } }))
      change.value = 0
      await changed()
      return got.says
    })
  return { busy, says, trouble, change, run, undo }
}
