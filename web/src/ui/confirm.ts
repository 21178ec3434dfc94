import { shallowRef } from 'vue'

/** A question before something that cannot be taken back easily. */
export interface Question {
  title: string
  text: string
  /** What the button says that does it: a verb and its object. */
  action: string
}

/** The question that is open, with what hears the answer. */
export const asked = shallowRef<Question & { answer: (yes: boolean) => void }>()

/** Asks, and says whether the answer was yes. A question that is still open is answered no. */
export function confirm(question: Question): Promise<boolean> {
  asked.value?.answer(false)
  return new Promise((resolve) => {
    asked.value = {
      ...question,
      answer: (yes) => {
        asked.value = undefined
        resolve(yes)
      },
    }
  })
}
