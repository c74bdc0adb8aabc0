import { create } from 'zustand'

/** What this window alone looks at: lights heard alone, the row in hand, readings. */
interface Look {
  alone: ReadonlySet<string>
  chosen: string | null
  open: string | null
  histogram: number[]
  spot: number | null
  drawn: number
  sheet: boolean
  /** The machine has no WebGL2: the server composes. */
  plain: boolean
}

export const useLook = create<Look>(() => ({ alone: new Set<string>(), chosen: null, open: null, histogram: [], spot: null, drawn: 0, sheet: false, plain: false }))

/** toggleAlone leaves only this light on; a second time brings all back. With more, lights are added to what is alone. */
export function toggleAlone(ids: string[], more = false) {
  useLook.setState((s) => {
    const same = ids.every((i) => s.alone.has(i)) && (more || s.alone.size === ids.length)
    if (same) return { alone: new Set([...s.alone].filter((i) => !ids.includes(i))) }
    return { alone: new Set(more ? [...s.alone, ...ids] : ids) }
  })
}
