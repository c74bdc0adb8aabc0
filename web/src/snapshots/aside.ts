import { create } from 'zustand'
import type { LampFact, Setup } from '../api.gen'
import { api, Refused, windowName } from '../net/client'
import { useLook } from '../picture/look'
import { say } from '../setup/store'

/** Aside is another state of the setup beside the present one: a snapshot, to compare with. */
export interface Aside {
  id: number
  name: string
  doc: Setup
  lamps: Record<string, LampFact>
}

/** aside is the state to compare with; base, if there is one, takes the place of the present state on the other side. */
export const useAside = create<{ aside: Aside | null; base: Aside | null }>(() => ({ aside: null, base: null }))

/** compareWith puts a snapshot beside the present state, or beside another snapshot. */
export async function compareWith(id: number | null, other: number | null, base: number | null = null) {
  if (id === null) return
  const wanted = [other, base].filter((n): n is number => n !== null)
  try {
    const got = await api.aside(id, { window: windowName, snapshots: wanted })
    const made = got.map((a) => ({ id: a.id, name: a.name, doc: a.document as Setup, lamps: a.lamps }))
    useAside.setState({ aside: made[0] ?? null, base: made[1] ?? null })
    if (useLook.getState().split === 'none' || other === null) useLook.setState({ split: other === null ? 'none' : 'wipe' })
  } catch (e) {
    say(e instanceof Refused ? e.fault.what : 'The comparison did not reach the server.')
  }
}
