import { create } from 'zustand'
import type { LampFact, Setup } from '../api.gen'

/** Aside is another state of the setup beside the present one: a snapshot, to compare with. */
export interface Aside {
  id: number
  name: string
  doc: Setup
  lamps: Record<string, LampFact>
}

export const useAside = create<{ aside: Aside | null }>(() => ({ aside: null }))
