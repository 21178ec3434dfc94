import { computed } from 'vue'

import { useSession } from './useSession'

/** What whoever is signed in may do. */
export function usePermissions() {
  const { data: who } = useSession()
  return {
    /** Works on machines: notes, ticks, decisions. */
    works: computed(() => ['work', 'manage'].includes(who.value?.scope ?? '')),
    /** Manages all: rules, people, settings. */
    manages: computed(() => who.value?.scope === 'manage'),
  }
}
