import { ref } from 'vue'

/**
 * What a person asks for with a button: whether it is under way, what came of it, and what went wrong. A failure is
 * always in trouble, so that a page cannot lose it.
 */
export function useAction() {
  const busy = ref(false)
  const says = ref('')
  const trouble = ref('')
  /** Runs it, and says whether it went well. A text that it returns is what came of it. */
  async function run(f: () => Promise<string | void>): Promise<boolean> {
    busy.value = true
    says.value = trouble.value = ''
    try {
      says.value = (await f()) ?? ''
      return true
    } catch (e) {
      trouble.value = (e as Error).message
      return false
    } finally {
      busy.value = false
    }
  }
  return { busy, says, trouble, run }
}
