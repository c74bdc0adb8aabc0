import { create } from 'zustand'
import type { LampFact, Setup } from '../api.gen'
import { api, Refused, windowName } from './client'
import { useLook } from './look'
import { say } from './store'

/** Comparison is another state of the setup beside the present one: a snapshot, to compare with. */
export interface Comparison {
  id: number
  name: string
  doc: Setup
  lamps: Record<string, LampFact>
}

/** compared is the state to compare with; base, if there is one, takes the place of the present state on the other side. */
export const useComparison = create<{ compared: Comparison | null; base: Comparison | null }>(() => ({ compared: null, base: null }))

/** compareWith puts a snapshot beside the present state, or beside another snapshot. */
export async function compareWith(id: number | null, other: number | null, base: number | null = null) {
  if (id === null) return
  const wanted = [other, base].filter((n): n is number => n !== null)
  try {
    const got = await api.aside(id, { window: windowName, snapshots: wanted })
    const made = got.map((a) => ({ id: a.id, name: a.name, doc: a.document as Setup, lamps: a.lamps }))
    useComparison.setState({ compared: made[0] ?? null, base: made[1] ?? null })
    if (useLook.getState().split === 'none' || other === null) useLook.setState({ split: other === null ? 'none' : 'wipe' })
  } catch (e) {
    say(e instanceof Refused ? e.fault.what : 'The comparison did not reach the server.')
  }
}
