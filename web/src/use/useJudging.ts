import { onBeforeUnmount, ref } from 'vue'

import { api, ask } from '../client'
import { number } from '../words'

/** How far the service has come with judging the fleet, asked for while a call that makes it do so is under way. */
export function useJudging() {
  const progress = ref('')
  let asking = 0
  async function look() {
    const j = await ask(api.GET('/judging')).catch(() => undefined)
    if (!asking) return
    if (j?.running && j.machines)
      progress.value = `Judging the fleet: ${number(j.done)} of ${number(j.machines)}`
    asking = window.setTimeout(look, 400)
  }
  function stop() {
    clearTimeout(asking)
    asking = 0
    progress.value = ''
  }
  async function follow<T>(call: () => Promise<T>): Promise<T> {
    asking = window.setTimeout(look, 400)
    try {
      return await call()
    } finally {
      stop()
    }
  }
  onBeforeUnmount(stop)
  return { progress, follow }
}
