import type { Away, Drafted, Edited, Failed, Figures, FrameNews, Hello, Lamps, Present, Preview, Setup, Sharp, Sighted } from '../api.gen'
import { api } from './client'
import { flush, ownWaiting, sendWaiting } from './edits'
import { complain, get, patched, rebuild, say, set, useSetup, type Op } from './state'

export type News = Hello | Edited | Lamps | FrameNews | Figures | Sighted | Preview | Sharp | Drafted | Present | Failed | Away

/** What the window's gaze wants of the news: the number of the last one sent, and where pictures in motion go. */
export const gazes = { sent: 0, preview: (() => undefined) as (m: Preview) => void }

const place = (id: number) => `willowherb.view.${id}`

/** remembered is the view that this tab last showed of the setup. */
function remembered(m: Hello): string {
  const v = sessionStorage.getItem(place(m.setup)) ?? ''
  return (m.document as Setup).views[v] ? v : ''
}

useSetup.subscribe((s, before) => {
  if (s.id !== null && s.view && s.view !== before.view) sessionStorage.setItem(place(s.id), s.view)
})

/** overwritten tells both sides when one has set what the other had just set: the last one wins. */
function overwritten(m: Edited, mine: boolean) {
  for (const o of m.over ?? []) {
    const who = (id: string) => get().people[id] || 'Somebody else'
    if (mine) say(`You have replaced “${o.label}”, set by ${who(o.person)} a moment before.`)
    else if (o.window === get().mine) say(`${who(m.person)} has replaced your “${o.label}” with “${m.label}”. The last one counts.`)
    else continue
    return
  }
}

function greeted(m: Hello) {
  const s = get()
  const doc = m.document as Setup
  set(
    rebuild({
      id: m.setup,
      project: m.project,
      file: m.file,
      notes: m.notes,
      you: m.you,
      mine: m.mine,
      broken: m.broken ?? '',
      confirmed: doc,
      revision: m.revision,
      draftLamps: null,
      pending: s.id === m.setup ? s.pending : ownWaiting(m.setup),
      view: s.view && doc.views[s.view] ? s.view : remembered(m) || m.view,
      connected: true,
      away: false,
    }),
  )
  void api.next(m.setup).then((a) => set({ undoLabel: a.undo, redoLabel: a.redo }), () => undefined)
  void flush()
  void sendWaiting(m.setup)
}

/** hear takes in news from the server. */
export function hear(m: News) {
  const s = get()
  switch (m.type) {
    case 'hello':
      greeted(m)
      break
    case 'edited': {
      if (!s.confirmed) break
      const mine = m.window === s.mine
      // An edit of one's own may be known by its answer already; whom it ran over is said here alone.
      if (m.revision <= s.revision && !mine) break
      if (m.revision > s.revision) set(rebuild({ confirmed: patched(s.confirmed, m.ops as Op[]), revision: m.revision, pending: mine ? s.pending.filter((p) => p.seq !== m.seq) : s.pending, broken: '' }))
      overwritten(m, mine)
      break
    }
    case 'lamps':
      set({ lamps: m.lamps, draftLamps: s.draft.length || s.pending.length || m.revision < s.revision ? s.draftLamps : null })
      break
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
    case 'sharp':
      set({ sharp: m })
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
    case 'away':
      set({ away: m.away })
      break
    case 'fault':
      complain(m)
  }
}
