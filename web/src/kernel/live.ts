import { WebSocket as ReconnectingWebSocket } from 'partysocket'
import type { Gaze } from '../api.gen'
import { useLook, type Way } from './look'
import { gazes, hear, useSetup, type News, type Op } from './store'
import { called, me, windowName } from './client'

/** Light alone, on grey, is another rendering; all other ways of seeing are made from the same layers. */
export const neutral = (w: Way) => w === 'light' || w === 'illuminance'

/** gazeNow is how this window looks. */
export function gazeNow(n: number): Gaze {
  const l = useLook.getState()
  const s = useSetup.getState()
  const own = l.camera ? { camera: { ...l.camera, ev: l.exposed ?? s.doc?.views[s.view]?.ev ?? l.camera.ev } } : {}
  return { n, view: s.view, ...own, moving: l.moving, neutral: neutral(l.way), hidden: [...l.hidden], cut: l.cut, alone: [...l.alone] }
}

let speak: (m: unknown) => void = () => undefined

/** sayName tells the others here what this person is called now. */
export const sayName = () => speak({ called: called() })

/** connect keeps a socket to a setup open, coming back after a loss; a blind window has no picture of its own. Returns how to end it. */
export function connect(id: number, blind = false): () => void {
  const address = async () => {
    await me() // a socket cannot be told that its browser is not known
    const view = useSetup.getState().view
    const at = location.protocol === 'https:' ? 'wss' : 'ws'
    return `${at}://${location.host}/api/setups/${id}/live?window=${windowName}&called=${encodeURIComponent(called())}&view=${encodeURIComponent(view)}`
  }
  // What waits for the server waits in the journal of edits: the socket itself keeps nothing back.
  const socket = new ReconnectingWebSocket(address, [], { minReconnectionDelay: 250, maxReconnectionDelay: 3000, reconnectionDelayGrowFactor: 2, connectionTimeout: 10_000, maxEnqueuedMessages: 0 })
  socket.onmessage = (e: MessageEvent<string>) => hear(JSON.parse(e.data) as News)
  socket.onclose = () => useSetup.setState({ connected: false })
  const send = (m: unknown) => socket.readyState === WebSocket.OPEN && socket.send(JSON.stringify(m))
  speak = send
  // Gazes follow the eye at most thirty times a second; the last one always goes.
  let asked: ReturnType<typeof setTimeout> | undefined
  let at = 0
  const gaze = () => {
    if (blind) return
    useSetup.setState({ astray: true })
    clearTimeout(asked)
    asked = setTimeout(
      () => {
        at = performance.now()
        send({ look: gazeNow(++gazes.sent) })
      },
      Math.max(0, at + 33 - performance.now()),
    )
  }
  const stops = [
    useSetup.subscribe((s, before) => {
      if (s.view !== before.view) gaze()
      if (s.draft !== before.draft) drafts(s.draft)
      if (s.connected && !before.connected) gaze()
    }),
    useLook.subscribe((s, before) => {
      if (s.camera !== before.camera || s.moving !== before.moving || s.hidden !== before.hidden || s.cut !== before.cut || neutral(s.way) !== neutral(before.way)) gaze()
    }),
  ]
  // A drag's preview reaches the bench without the journal.
  let draftTimer: ReturnType<typeof setTimeout> | undefined
  let draftAt = 0
  let drafted = false
  const drafts = (ops: Op[]) => {
    clearTimeout(draftTimer)
    if (ops.length === 0) {
      if (drafted) draftTimer = setTimeout(() => send({ draft: [] }), 300)
      drafted = false
      return
    }
    if (ops.every((o) => /\/(stops|output|colour|off|trim|ev|name|order|role)$/.test(o.path))) return
    drafted = true
    draftTimer = setTimeout(
      () => {
        draftAt = performance.now()
        send({ draft: ops })
      },
      Math.max(0, draftAt + 40 - performance.now()),
    )
  }
  gazes.preview = (m) => {
    if (useLook.getState().camera || useSetup.getState().draft.length > 0) useLook.setState({ preview: m })
  }
  return () => {
    stops.forEach((stop) => stop())
    clearTimeout(asked)
    clearTimeout(draftTimer)
    socket.onclose = null
    socket.close()
  }
}
