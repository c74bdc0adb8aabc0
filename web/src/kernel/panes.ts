import { create } from 'zustand'
import { called } from './client'

/** Sizes that a person has given the parts of the frame at a step of the work, in pixels; they are remembered. */
interface Sizes {
  /** Width of the right side. */
  side: number
  /** Height of the open panel under the Ledger. */
  dock: number
  /** Width of the open panel where it stands in a column of its own. */
  column: number
  /** Height that what is weighed and pinned has at least, under the picture. */
  below: number
  /** What is weighed and pinned is folded away. */
  folded: boolean
}

/** A step of the round, by its id. */
export type Step = string

/** What stands beside the picture: all of the frame, nothing, or the Ledger as a slim strip. */
export type Beside = 'frame' | 'nothing' | 'strip'

interface Panes extends Sizes {
  step: Step
  beside: Beside
}

const place = 'willowherb.panes'

/** standard sizes are those of a window that nobody has changed. */
export const standard = (): Sizes => ({
  side: Math.round(Math.min(Math.max(358, window.innerWidth * 0.228), 440)),
  dock: Math.round(window.innerHeight * 0.42),
  column: 360,
  below: 96,
  folded: false,
})

type Stored = Record<string, Partial<Sizes>>

function stored(): Stored {
  try {
    return JSON.parse(localStorage.getItem(place) ?? '{}') as Stored
  } catch {
    return {}
  }
}

/** Each person has sizes of their own at each step. */
const owner = (step: Step) => `${called()}/${step}`

const sizesOf = (step: Step): Sizes => ({ ...standard(), ...stored()[owner(step)] })

/** The step that this window was at, over a reload. */
const at = 'willowherb.step'
const first = sessionStorage.getItem(at) ?? 'light'

export const usePanes = create<Panes>(() => ({ ...sizesOf(first), step: first, beside: 'frame' }))

/** goToStep shows another step of the work, laid out as this person left it. */
export function goToStep(step: Step) {
  sessionStorage.setItem(at, step)
  usePanes.setState({ ...sizesOf(step), step })
}

/** size gives a part of the frame another size, and remembers it. */
export function size(part: Partial<Sizes>) {
  usePanes.setState(part)
  const { step } = usePanes.getState()
  const all = stored()
  all[owner(step)] = { ...all[owner(step)], ...part }
  localStorage.setItem(place, JSON.stringify(all))
}

/** toggleBeside shows the picture with only that beside it, or the whole frame again. */
export const toggleBeside = (b: Beside) => usePanes.setState((s) => ({ beside: s.beside === b ? 'frame' : b }))

/** Edge is a border of a part of the frame that can be moved. */
export type Edge = 'side' | 'dock' | 'column' | 'below'

/** edges say how far each may go. */
export const edges: Record<Edge, { upright: boolean; says: string; least: number; rest: () => number }> = {
  side: { upright: true, says: 'Width of the right side', least: 320, rest: () => window.innerWidth - 520 },
  column: { upright: true, says: 'Width of the open panel', least: 320, rest: () => window.innerWidth - 900 },
  dock: { upright: false, says: 'Height of the open panel', least: 120, rest: () => window.innerHeight - 240 },
  below: { upright: false, says: 'Height under the picture', least: 40, rest: () => window.innerHeight - 420 },
}
