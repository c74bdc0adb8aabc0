import { produce, setAutoFreeze } from 'immer'
import jsonpatch, { type Operation } from 'fast-json-patch'
import { create } from 'zustand'
import { worn } from './looks'
import type { Figures, FrameNews, LampFact, Setup, Sharp } from '../api.gen'

/** Where this window keeps whether changes go to the look that is worn alone, over a reload. */
export const goes = 'willowherb.changes'

export interface Op {
  op: 'add' | 'replace' | 'remove'
  path: string
  value?: unknown
}

export interface Pending {
  seq: number
  ops: Op[]
  label: string
  /** The revision that was seen when it was made. */
  base: number
}

export interface Trouble {
  what: string
  remedy: string
}

export interface State {
  id: number | null
  project: string
  file: string
  notes: string[]
  /** The person that this browser is, and the full name of this window, as the server knows them. */
  you: string
  mine: string
  /** Why the document makes no sense, if it does not: it can be taken back. */
  broken: string
  /** The document as the server has it; with what is on its way; that as its look has it; and with what is under the hand. */
  confirmed: Setup | null
  bare: Setup | null
  kept: Setup | null
  doc: Setup | null
  revision: number
  pending: Pending[]
  draft: Op[]
  lamps: Record<string, LampFact>
  /** The lamps as the drag under way would have them, until those of its edit have come. */
  draftLamps: Record<string, LampFact> | null
  view: string
  /** The sight that this window has now: a key of frames. */
  sight: string
  /** The eye has moved and the server has not yet said what it sees. */
  astray: boolean
  /** Frames of each sight by level, and thumbnails by view. */
  frames: Record<string, Record<number, FrameNews>>
  thumbs: Record<string, FrameNews>
  /** A picture at full size of smaller layers' light, until there are layers of that size. */
  sharp: Sharp | null
  people: Record<string, string>
  windows: number
  figures: Record<string, Figures>
  undoLabel: string
  redoLabel: string
  /** Changes go to the look that is worn, and not to every look. */
  alone: boolean
  connected: boolean
  /** The server is there, but waits for its database. */
  away: boolean
  trouble: Trouble | null
  said: string
}

/** blank is how a setup begins that is not open yet. */
export const blank = {
  id: null,
  broken: '',
  confirmed: null,
  bare: null,
  kept: null,
  doc: null,
  revision: 0,
  pending: [] as Pending[],
  draft: [] as Op[],
  lamps: {},
  draftLamps: null,
  view: '',
  sight: '',
  frames: {},
  thumbs: {},
  sharp: null,
  figures: {},
  undoLabel: '',
  redoLabel: '',
  alone: sessionStorage.getItem(goes) !== 'all',
}

export const useSetup = create<State>(() => ({
  ...blank,
  project: '',
  file: '',
  notes: [],
  you: '',
  mine: '',
  astray: false,
  people: {},
  windows: 0,
  connected: false,
  away: false,
  trouble: null,
  said: '',
}))

export const set = useSetup.setState
export const get = useSetup.getState

setAutoFreeze(false)

/** patched applies ops to a copy that shares what they leave alone; an op whose place is gone is passed over. */
export function patched(doc: Setup, ops: Op[]): Setup {
  if (ops.length === 0) return doc
  return produce(doc, (copy) => {
    for (const o of ops) {
      try {
        jsonpatch.applyOperation(copy, structuredClone(o) as Operation, true)
      } catch {
        /* somebody else has removed it; the server will say so */
      }
    }
  })
}

/** rebuild works out what is kept and what is shown from what changes. */
export function rebuild(s: Partial<State>): Partial<State> {
  const before = get()
  const all = { ...before, ...s }
  if (!all.confirmed) return s
  const same = all.confirmed === before.confirmed && all.pending === before.pending && before.bare && before.kept
  const bare = same ? before.bare : patched(all.confirmed, all.pending.flatMap((p) => p.ops))
  const kept = same ? before.kept : bare && worn(bare)
  return { ...s, bare, kept, doc: all.draft.length > 0 && bare ? worn(patched(bare, all.draft)) : kept }
}

export function say(said: string) {
  set({ said })
}

export function complain(t: Trouble | null) {
  set({ trouble: t })
}

/** lampsNow are the lamps that the picture is to show: those of a drag under way before the setup's own. */
export const lampsNow = (s: Pick<State, 'lamps' | 'draftLamps'>) => s.draftLamps ?? s.lamps

/** entries lists a map of the document by its order keys. */
export function entries<T extends { order: number }>(m: Record<string, T>): [string, T][] {
  return Object.entries(m).sort((a, b) => a[1].order - b[1].order || (a[0] < b[0] ? -1 : 1))
}
