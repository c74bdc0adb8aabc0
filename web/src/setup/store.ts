import jsonpatch, { type Operation } from 'fast-json-patch'
import { create } from 'zustand'
import type { Drafted, Edited, Failed, Figures, FrameNews, Hello, LampFact, Present, Preview, Setup, Sighted } from '../api.gen'
import { api, called, person, Refused, windowName } from '../net/client'

export interface Op {
  op: 'add' | 'replace' | 'remove'
  path: string
  value?: unknown
}

interface Pending {
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

interface State {
  id: number | null
  project: string
  file: string
  notes: string[]
  /** The document as the server has it, and with what is on its way and under the hand. */
  confirmed: Setup | null
  doc: Setup | null
  revision: number
  pending: Pending[]
  draft: Op[]
  lamps: Record<string, LampFact>
  /** The lamps as the drag under way would have them, until the edit is confirmed. */
  draftLamps: Record<string, LampFact> | null
  view: string
  /** The sight that this window has now: a key of frames. */
  sight: string
  /** The eye has moved and the server has not yet said what it sees. */
  astray: boolean
  /** Frames of each sight by level, and thumbnails by view. */
  frames: Record<string, Record<number, FrameNews>>
  thumbs: Record<string, FrameNews>
  people: Record<string, string>
  windows: number
  figures: Record<string, Figures>
  undoLabel: string
  redoLabel: string
  connected: boolean
  trouble: Trouble | null
  said: string
}

export const useSetup = create<State>(() => ({
  id: null,
  project: '',
  file: '',
  notes: [],
  confirmed: null,
  doc: null,
  revision: 0,
  pending: [],
  draft: [],
  lamps: {},
  draftLamps: null,
  view: '',
  sight: '',
  astray: false,
  frames: {},
  thumbs: {},
  people: {},
  windows: 0,
  figures: {},
  undoLabel: '',
  redoLabel: '',
  connected: false,
  trouble: null,
  said: '',
}))

const set = useSetup.setState
const get = useSetup.getState

/** patched applies ops to a copy; an op whose place is gone is passed over. */
export function patched(doc: Setup, ops: Op[]): Setup {
  if (ops.length === 0) return doc
  const copy = structuredClone(doc)
  for (const o of ops) {
    try {
      jsonpatch.applyOperation(copy, o as Operation, true)
    } catch {
      /* somebody else has removed it; the server will say so */
    }
  }
  return copy
}

function rebuild(s: Partial<State>): Partial<State> {
  const all = { ...get(), ...s }
  if (!all.confirmed) return s
  return { ...s, doc: patched(all.confirmed, [...all.pending.flatMap((p) => p.ops), ...all.draft]) }
}

export function say(said: string) {
  set({ said })
}

export function complain(t: Trouble | null) {
  set({ trouble: t })
}

let seq = 0

/** nextSeq numbers what this window asks of the journal by other ways than edit. */
export const nextSeq = () => ++seq

/** draft shows ops at once without keeping them: a drag under way. */
export function draft(ops: Op[]) {
  set(rebuild({ draft: ops, ...(ops.length === 0 ? { draftLamps: null } : {}) }))
}

/** lampsNow are the lamps that the picture is to show: those of a drag under way before the setup's own. */
export const lampsNow = (s: Pick<State, 'lamps' | 'draftLamps'>) => s.draftLamps ?? s.lamps

/** edit keeps ops: shown at once, sent in order, tried again until the server has them. */
export function edit(label: string, ops: Op[]) {
  if (ops.length === 0) {
    draft([])
    return
  }
  set(rebuild({ draft: [], pending: [...get().pending, { seq: ++seq, ops, label, base: get().revision }] }))
  void flush()
}

let flushing = false

async function flush() {
  if (flushing) return
  flushing = true
  try {
    for (;;) {
      const s = get()
      const p = s.pending[0]
      if (!p || s.id === null) return
      try {
        const a = await api.edit(s.id, { person, called: called(), window: windowName, seq: p.seq, base: p.base, target: 'base', ops: p.ops as never, label: p.label })
        if (get().id !== s.id) return
        set({ undoLabel: a.undo, redoLabel: a.redo })
        settle(a.revision, p)
        // Somebody else's edit came between: its news, and then ours, are on their way.
        if (get().pending[0]?.seq === p.seq) await new Promise((r) => setTimeout(r, 100))
      } catch (e) {
        if (e instanceof Refused) {
          // The server will never take it: drop it and say why.
          set(rebuild({ pending: get().pending.filter((q) => q.seq !== p.seq), trouble: { what: `“${p.label}” was not kept. ${e.fault.what}`, remedy: e.fault.remedy } }))
        } else {
          set({ connected: false })
          await new Promise((r) => setTimeout(r, 800))
        }
      }
    }
  } finally {
    flushing = false
  }
}

/** settle takes an acknowledged edit from what is pending. If its news has not
 * come over the socket yet, its ops go into the confirmed document here. */
function settle(revision: number, p: Pending) {
  const s = get()
  if (!s.pending.some((q) => q.seq === p.seq)) return
  if (revision === s.revision + 1 && s.confirmed) {
    set(rebuild({ confirmed: patched(s.confirmed, p.ops), revision, pending: s.pending.filter((q) => q.seq !== p.seq) }))
  } else if (revision <= s.revision) {
    set(rebuild({ pending: s.pending.filter((q) => q.seq !== p.seq) }))
  }
}

const place = (id: number) => `willowherb.view.${id}`

/** remembered is the view that this tab last showed of the setup. */
function remembered(m: Hello): string {
  const v = sessionStorage.getItem(place(m.setup)) ?? ''
  return (m.document as Setup).views[v] ? v : ''
}

useSetup.subscribe((s, before) => {
  if (s.id !== null && s.view && s.view !== before.view) sessionStorage.setItem(place(s.id), s.view)
})

/** Edits that the server has not acknowledged survive the tab: they wait in the browser, by setup and window. */
const waiting = (id: number, window: string) => `willowherb.waiting.${id}.${window}`

useSetup.subscribe((s, before) => {
  if (s.id === null || s.pending === before.pending) return
  if (s.pending.length > 0) localStorage.setItem(waiting(s.id, windowName), JSON.stringify(s.pending))
  else localStorage.removeItem(waiting(s.id, windowName))
})

/** sendWaiting sends what windows that are gone had still to send. A number that has come through already changes nothing. */
async function sendWaiting(id: number) {
  const start = waiting(id, '')
  for (const key of Object.keys(localStorage).filter((k) => k.startsWith(start) && k !== waiting(id, windowName))) {
    const window = key.slice(start.length)
    for (const p of JSON.parse(localStorage.getItem(key) ?? '[]') as Pending[]) {
      try {
        await api.edit(id, { person, called: called(), window, seq: p.seq, base: p.base, target: 'base', ops: p.ops as never, label: p.label })
      } catch (e) {
        if (!(e instanceof Refused)) return // the server is away again: later
        say(`“${p.label}”, made before the window was closed, was not kept. ${e.fault.what}`)
      }
    }
    localStorage.removeItem(key)
  }
}

/** revert goes back to a revision, or to a snapshot, as one new edit. */
export async function revert(label: string, revision: number, snapshot?: number) {
  const { id } = get()
  if (id === null) return
  await flush()
  try {
    const a = await api.revert(id, { person, called: called(), window: windowName, seq: ++seq, revision, snapshot, label })
    set({ undoLabel: a.undo, redoLabel: a.redo })
    say(`${label}. Undo takes you forward again.`)
  } catch (e) {
    if (e instanceof Refused) say(e.status === 409 ? 'That is how it is already.' : e.fault.what)
    else complain({ what: 'The request did not reach the server.', remedy: 'Check that Willowherb is running, then try again.' })
  }
}

let undoing = Promise.resolve()

/** undo takes the last edit of this person back; redo does it again. */
export function undo(redo = false) {
  const wanted = redo ? get().redoLabel : get().undoLabel
  if (!wanted && get().pending.length === 0) {
    say(redo ? 'There is nothing to do again.' : 'There is nothing to undo.')
    return
  }
  undoing = undoing.then(async () => {
    await flush()
    const { id } = get()
    if (id === null) return
    try {
      const a = await api.undo(id, { person, called: called(), window: windowName, seq: ++seq, redo })
      set({ undoLabel: a.undo, redoLabel: a.redo })
      const left = a.kept.length ? ` ${a.kept.length} value${a.kept.length > 1 ? 's were' : ' was'} left alone: somebody else has changed ${a.kept.length > 1 ? 'them' : 'it'} since.` : ''
      say(`${redo ? 'Did again' : 'Undid'} “${a.label}”.${left}`)
    } catch (e) {
      if (e instanceof Refused) say(e.fault.what)
      else complain({ what: 'Undo did not reach the server.', remedy: 'Check that Willowherb is running, then try again.' })
    }
  })
}

export type News = Hello | Edited | FrameNews | Figures | Sighted | Preview | Drafted | Present | Failed

/** What the window's gaze wants of the news: the number of the last one sent, and where pictures in motion go. */
export const gazes = { sent: 0, preview: (() => undefined) as (m: Preview) => void }

/** overwritten tells both sides when one has set what the other had just set: the last one wins. */
function overwritten(m: Edited, mine: boolean) {
  for (const o of m.over ?? []) {
    const who = (id: string) => get().people[id] || 'Somebody else'
    if (mine) say(`You have replaced “${o.label}”, set by ${who(o.person)} a moment before.`)
    else if (o.window === windowName) say(`${who(m.person)} has replaced your “${o.label}” with “${m.label}”. The last one counts.`)
    else continue
    return
  }
}

/** hear takes in news from the server. */
export function hear(m: News) {
  const s = get()
  switch (m.type) {
    case 'hello':
      set(
        rebuild({
          id: m.setup,
          project: m.project,
          file: m.file,
          notes: m.notes,
          confirmed: m.document as Setup,
          revision: m.revision,
          lamps: m.lamps,
          draftLamps: null,
          view: s.view && (m.document as Setup).views[s.view] ? s.view : remembered(m) || m.view,
          connected: true,
        }),
      )
      void api.next(m.setup, person).then((a) => set({ undoLabel: a.undo, redoLabel: a.redo }), () => undefined)
      void flush()
      void sendWaiting(m.setup)
      break
    case 'edited': {
      if (m.revision <= s.revision) {
        set({ lamps: m.lamps, draftLamps: s.draft.length ? s.draftLamps : null })
        break
      }
      if (!s.confirmed) break
      const mine = m.window === windowName
      set(
        rebuild({
          confirmed: patched(s.confirmed, m.ops as Op[]),
          revision: m.revision,
          lamps: m.lamps,
          draftLamps: s.draft.length ? s.draftLamps : null,
          pending: mine ? s.pending.filter((p) => p.seq !== m.seq) : s.pending,
        }),
      )
      overwritten(m, mine)
      break
    }
    case 'frame':
      if (m.view) {
        set({ thumbs: { ...s.thumbs, [m.view]: m } })
      } else {
        // Only the last few sights are of use.
        const kept = Object.fromEntries(Object.entries(s.frames).filter(([k]) => k !== m.sight).slice(-5))
        set({ frames: { ...kept, [m.sight]: { ...s.frames[m.sight], [m.level]: m } } })
      }
      break
    case 'sighted':
      if (m.n >= gazes.sent) set({ sight: m.sight, astray: false })
      break
    case 'preview':
      gazes.preview(m)
      break
    case 'drafted':
      if (s.draft.length > 0) set({ draftLamps: m.lamps })
      break
    case 'present':
      set({ people: m.people, windows: m.windows })
      break
    case 'figures':
      set({ figures: { ...s.figures, [m.view]: m } })
      break
    case 'fault':
      complain(m)
  }
}

/** entries lists a map of the document by its order keys. */
export function entries<T extends { order: number }>(m: Record<string, T>): [string, T][] {
  return Object.entries(m).sort((a, b) => a[1].order - b[1].order || (a[0] < b[0] ? -1 : 1))
}

