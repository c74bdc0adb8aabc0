import { create } from 'zustand'

/** late puts the keyboard on a field a moment after it appears, so that the key that opened it does not land in it. */
export const late = (el: HTMLInputElement | null) => {
  if (el && !el.dataset.met) {
    el.dataset.met = 'yes'
    setTimeout(() => el.focus(), 30)
  }
}

/** Question asks for a line of text; answer is given one that is new. */
export interface Question {
  title: string
  value: string
  answer: (v: string) => void
}

/** useQuestion is the question that is open. */
export const useQuestion = create<{ question: Question | null }>(() => ({ question: null }))

/** askFor asks for a line of text; the answer comes only if there is one and it is new. */
export function askFor(title: string, value: string, answer: (v: string) => void) {
  useQuestion.setState({ question: { title, value, answer } })
}
