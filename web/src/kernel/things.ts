import { create } from 'zustand'
import type { StageFacts, Thing } from '../api.gen'
import { api } from './client'

/** What the place has to offer: objects by their number in the picture's maps, materials, animations. */
export const useThings = create<{ things: Thing[]; facts: StageFacts | null }>(() => ({ things: [], facts: null }))

export async function fetchThings(id: number) {
  try {
    const facts = await api.stage(id)
    useThings.setState({ things: facts.things, facts })
  } catch {
    /* the window is told when the server is away */
  }
}
