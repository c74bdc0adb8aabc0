import type { Answer } from '../api.gen'
import { api, Busy, called, Refused, windowName } from './client'
import { allowed } from './locks'
import { routed } from './looks'
import { get, patched, rebuild, say, set, complain, useSetup, type Op, type Pending } from './state'

let seq = 0

/** nextSeq numbers what this window asks of the journal by other ways than edit. */
export const nextSeq = () => ++seq

/** Gestures end when the view or the setup changes under them: whoever drags compares the era with that of the beginning. */
let era = 0
export const eraNow = () => era

/** free leaves out what locks forbid, and says so; what is left goes to the look that is worn, or to every look. */
function free(ops: Op[], tell: boolean, as = false): Op[] {
  const doc = get().kept
  if (!doc || ops.length === 0) return ops
  const a = allowed(doc, ops)
  if (tell && a.locked.length > 0) {
    const names = a.locked.length > 2 ? `${a.locked.length} lights and groups are` : `${a.locked.join(' and ')} ${a.locked.length > 1 ? 'are' : 'is'}`
    say(`${names} locked${a.ops.length ? ': left alone' : ''}. K unlocks.`)
  }
  const { bare, alone } = get()
  return bare?.look && !as ? routed(bare, a.ops, alone) : a.ops
}

/** draft shows ops at once without keeping them: a drag under way. No ops end it. */
export function draft(ops: Op[]) {
  held = null
  set(rebuild({ draft: free(ops, false), ...(ops.length === 0 ? { draftLamps: null } : {}) }))
}

// A key that is held, or a wheel that turns, is one gesture: shown as a draft, kept as one edit when it rests.
let held: { label: string; ops: Op[] } | null = null
let resting: ReturnType<typeof setTimeout> | undefined

const rest = 600

/** hold shows ops like draft, and keeps them as one edit when the hand rests. */
export function hold(label: string, ops: Op[]) {
  const fit = free(ops, true)
  if (fit.length === 0) return
  held = { label, ops: fit }
  set(rebuild({ draft: fit }))
  clearTimeout(resting)
  resting = setTimeout(release, rest)
}

/** release keeps what is held. */
export function release() {
  clearTimeout(resting)
  const h = held
  held = null
  if (h) edit(h.label, h.ops)
}

if (typeof window !== 'undefined') window.addEventListener('keyup', release)

/** edit keeps ops: shown at once, sent in order, tried again until the server has them. What changes nothing is no edit. Ops that are meant for the document as it is (as) go to no look. */
export function edit(label: string, ops: Op[], as = false) {
  if (held && held.ops !== ops) release()
  held = null
  const fit = free(ops, true, as)
  const doc = get().bare
  if (fit.length === 0 || !doc || JSON.stringify(patched(doc, fit)) === JSON.stringify(doc)) {
    draft([])
    return
  }
  set(rebuild({ draft: [], pending: [...get().pending, { seq: ++seq, ops: fit, label, base: get().revision }] }))
  void flush()
}

// Leaving a view ends the drag in it as Escape does; what a key has done there is kept.
useSetup.subscribe((s, before) => {
  if (s.view === before.view && s.id === before.id) return
  era++
  if (held && s.id === before.id) release()
  else if (s.draft.length > 0) draft([])
})

const post = (p: Pending, window: string) => ({ called: called(), window, seq: p.seq, base: p.base, target: 'base', ops: p.ops as never, label: p.label })

/** again tells what may be tried again from what is wrong. */
const again = (e: unknown) => !(e instanceof Refused) || e instanceof Busy || e.status >= 500

/** pauses are how long to wait before the next try, growing. */
export const pause = (tries: number, e?: unknown) => Math.max(Math.min(400 * 2 ** tries, 10_000) * (0.75 + Math.random() / 2), e instanceof Busy ? e.after * 1000 : 0)

const sleep = (ms: number) => new Promise<void>((r) => setTimeout(r, ms))

let running: Promise<void> | null = null

/** flush sends what is pending, in order, and ends when all of it is kept. */
export function flush(): Promise<void> {
  return (running ??= send().finally(() => (running = null)))
}

/** faults is how often the same edit may meet a fault of the server's own before it is given up. */
const faults = 8

async function send() {
  let tries = 0
  for (;;) {
    const s = get()
    const p = s.pending[0]
    if (!p || s.id === null) return
    try {
      const a = await api.edit(s.id, post(p, windowName))
      tries = 0
      if (get().id !== s.id) continue
      set({ undoLabel: a.undo, redoLabel: a.redo, connected: true, away: false })
      settle(a, p)
      // Somebody else's edit came between: its news, and then ours, are on their way.
      if (get().pending[0]?.seq === p.seq) await sleep(100)
    } catch (e) {
      if (get().id !== s.id) continue
      if (again(e) && !(e instanceof Refused && !(e instanceof Busy) && tries >= faults)) {
        set(e instanceof Busy ? { away: true } : { connected: false })
        await sleep(pause(tries++, e))
        continue
      }
      tries = 0
      const f = (e as Refused).fault
      set(rebuild({ pending: get().pending.filter((q) => q.seq !== p.seq), trouble: { what: `“${p.label}” was not kept. ${f.what}`, remedy: f.remedy } }))
    }
  }
}

/** settle takes an acknowledged edit from what is pending. If its news has not
 * come over the socket yet, its ops go into the confirmed document here. */
function settle(a: Answer, p: Pending) {
  const s = get()
  if (!s.pending.some((q) => q.seq === p.seq)) return
  const pending = s.pending.filter((q) => q.seq !== p.seq)
  if (a.nothing || a.revision <= s.revision) set(rebuild({ pending }))
  else if (a.revision === s.revision + 1 && s.confirmed) set(rebuild({ confirmed: patched(s.confirmed, p.ops), revision: a.revision, pending }))
}

/** Edits that the server has not acknowledged survive the tab: they wait in the browser, by setup and window. */
const waiting = (id: number, window: string) => `willowherb.waiting.${id}.${window}`

useSetup.subscribe((s, before) => {
  if (s.id === null || s.id !== before.id || s.pending === before.pending) return
  if (s.pending.length > 0) localStorage.setItem(waiting(s.id, windowName), JSON.stringify(s.pending))
  else localStorage.removeItem(waiting(s.id, windowName))
})

const read = (key: string): Pending[] => {
  try {
    return JSON.parse(localStorage.getItem(key) ?? '[]') as Pending[]
  } catch {
    return []
  }
}

/** ownWaiting is what this window had still to send to a setup that it had left meanwhile. */
export const ownWaiting = (id: number) => read(waiting(id, windowName))

/** sendWaiting sends what windows that are gone had still to send. A number that has come through already changes nothing. */
export async function sendWaiting(id: number) {
  const start = waiting(id, '')
  for (const key of Object.keys(localStorage).filter((k) => k.startsWith(start) && k !== waiting(id, windowName))) {
    const text = localStorage.getItem(key)
    for (const p of read(key)) {
      for (let tries = 0; ; tries++) {
        try {
          await api.edit(id, post(p, key.slice(start.length)))
          break
        } catch (e) {
          if (!again(e)) {
            complain({ what: `“${p.label}”, made before the window was closed, was not kept. ${(e as Refused).fault.what}`, remedy: (e as Refused).fault.remedy })
            break
          }
          if (get().id !== id) return // later, when this setup is open again
          await sleep(pause(tries, e))
        }
      }
    }
    // Its window may be alive after all, and have more to send by now.
    if (localStorage.getItem(key) === text) localStorage.removeItem(key)
  }
}

/** reached asks the server until it has an answer: what was asked is done once, by its number. */
async function reached<T>(ask: () => Promise<T>, id: number): Promise<T> {
  for (let tries = 0; ; tries++) {
    try {
      return await ask()
    } catch (e) {
      if (!again(e) || get().id !== id || (e instanceof Refused && !(e instanceof Busy) && tries >= faults)) throw e
      if (tries === 0) say('Waiting for the server.')
      await sleep(pause(tries, e))
    }
  }
}

/** revert goes back to a revision, or to a snapshot, as one new edit. */
export async function revert(label: string, revision: number, snapshot?: number) {
  release()
  const { id } = get()
  if (id === null) return
  await flush()
  const n = ++seq
  try {
    const a = await reached(() => api.revert(id, { called: called(), window: windowName, seq: n, revision, snapshot, label }), id)
    set({ undoLabel: a.undo, redoLabel: a.redo })
    say(`${label}. Undo takes you forward again.`)
  } catch (e) {
    if (e instanceof Refused) say(e.status === 409 ? 'That is how it is already.' : e.fault.what)
    else complain({ what: 'The request did not reach the server.', remedy: 'Check that Willowherb is running, then try again.' })
  }
}

let undoing = Promise.resolve()

/** undo takes the last edit of this person back, after what is still on its way; redo does it again. */
export function undo(redo = false) {
  release()
  const wanted = redo ? get().redoLabel : get().undoLabel
  // News of an edit may come before its answer, which alone says what can be undone.
  if (!wanted && get().pending.length === 0 && !running) {
    say(redo ? 'There is nothing to do again.' : 'There is nothing to undo.')
    return
  }
  if (get().pending.length > 0 && (!get().connected || get().away)) say('Undo waits until your edits are kept.')
  undoing = undoing.then(async () => {
    await flush()
    const { id } = get()
    if (id === null) return
    const n = ++seq
    try {
      const a = await reached(() => api.undo(id, { called: called(), window: windowName, seq: n, redo }), id)
      set({ undoLabel: a.undo, redoLabel: a.redo })
      const left = a.kept.length ? ` ${a.kept.length} value${a.kept.length > 1 ? 's were' : ' was'} left alone: somebody else has changed ${a.kept.length > 1 ? 'them' : 'it'} since.` : ''
      say(`${redo ? 'Did again' : 'Undid'} “${a.label}”.${left}`)
    } catch (e) {
      if (e instanceof Refused) say(e.fault.what)
      else complain({ what: 'Undo did not reach the server.', remedy: 'Check that Willowherb is running, then try again.' })
    }
  })
}

/** acknowledged waits until the server has every edit of this window: before that it may not know the light that it is asked about. */
export const acknowledged = () =>
  new Promise<void>((done) => {
    if (get().pending.length === 0) return done()
    const stop = useSetup.subscribe((s) => {
      if (s.pending.length > 0) return
      stop()
      done()
    })
  })
