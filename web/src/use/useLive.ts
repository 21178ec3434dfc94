import { useQueryCache } from '@pinia/colada'
import { onScopeDispose, ref, watch, type Ref } from 'vue'

import { liveQueries } from '../queries'

/** How often an open page asks again at most, in milliseconds. */
const apart = 2000

/** Keeps what is shown current: asks again when the service says that machines changed. */
export function useLive(signedIn: Ref<boolean>) {
  const cache = useQueryCache()
  const connected = ref(true)
  let source: EventSource | undefined
  let waiting: ReturnType<typeof setTimeout> | undefined
  const again = () => {
    waiting = undefined
    for (const name of liveQueries) void cache.invalidateQueries({ key: [name] }, true)
  }
  const close = () => {
    source?.close()
    source = undefined
    clearTimeout(waiting)
    waiting = undefined
  }
  const listen = () => {
    if (source || !signedIn.value || document.visibilityState !== 'visible') return
    source = new EventSource('/api/v1/events')
    source.onopen = () => (connected.value = true)
    source.onerror = () => (connected.value = false)
    source.addEventListener('changed', () => (waiting ??= setTimeout(again, apart)))
  }
  // Browsers open six connections to a service at most: only a page that is seen keeps one.
  const turn = () => {
    if (document.visibilityState !== 'visible') return close()
    if (!source) again()
    listen()
  }
  document.addEventListener('visibilitychange', turn)
  window.addEventListener('pagehide', close)
  window.addEventListener('pageshow', listen)
  watch(
    signedIn,
    () => {
      close()
      listen()
    },
    { immediate: true },
  )
  onScopeDispose(() => {
    close()
    document.removeEventListener('visibilitychange', turn)
    window.removeEventListener('pagehide', close)
    window.removeEventListener('pageshow', listen)
  })
  return { connected }
}
