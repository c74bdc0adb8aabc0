import { create } from 'zustand'
import type { Thing } from '../api.gen'
import { api } from '../net/client'

/** The objects of the place, by their number in the picture's maps. */
export const useThings = create<{ of: number; things: Thing[] }>(() => ({ of: 0, things: [] }))

export async function fetchThings(id: number) {
  try {
    useThings.setState({ of: id, things: await api.things(id) })
  } catch {
    /* the window is told when the server is away */
  }
}

export const thingName = (i: number) => useThings.getState().things[i]?.name ?? ''
