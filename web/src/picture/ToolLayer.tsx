import { Button } from '@mui/material'
import { createPortal } from 'react-dom'
import { useEffect, useRef } from 'react'
import type { PlaceAsk, Placed } from '../api.gen'
import { tidy, stopsText } from '../kernel/number'
import { lightEdits } from '../kernel/lightEdits'
import { api, Refused } from '../kernel/client'
import { bearing, sunTo } from '../kernel/day'
import { setBalls } from '../kernel/balls'
import { neutralHere } from '../kernel/gradeEdits'
import { setFocus } from '../kernel/lens'
import { gazeNow } from '../kernel/live'
import { cameraNow } from '../kernel/look'
import { acknowledged, say, useSetup } from '../kernel/store'
import { luminance, type RGB } from '../kernel/sums'
import { under } from './ground'
import { where } from './navigate'
import { toolLine, endTool, toolOf, useTool, type ToolKind } from './tool'

const doc = () => useSetup.getState().doc

interface At {
  x: number
  y: number
}

/** wordsOf says what a placement would do. */
function wordsOf(p: Placed): string {
  if (!p.able) return p.words
  const parts = []
  if (p.position) parts.push(`${tidy(p.distance)} m away`)
  if (p.width !== undefined && p.height !== undefined) parts.push(`${tidy(p.width)} × ${tidy(p.height)} m`)
  if (p.stops !== undefined) parts.push(`${stopsText(p.stops)} st`)
  if (p.words) parts.push(p.words)
  return parts.join(' · ') || 'as it is'
}

/** usePlacing asks the server what a click would do, the latest question only, and does it. */
function usePlacing(kind: ToolKind | null, light: string | null) {
  const first = useTool((s) => s.first)
  const wanted = useRef<{ q: PlaceAsk; done: boolean } | null>(null)
  const busy = useRef(false)
  const reach = useRef({ from: 0, x: 0 })
  useEffect(() => {
    wanted.current = null
  }, [kind, light])

  /** ask sends the latest question, one at a time. */
  const ask = async () => {
    const id = useSetup.getState().id
    if (busy.current || !wanted.current || id === null) return
    busy.current = true
    const { q, done } = wanted.current
    wanted.current = null
    try {
      if (useSetup.getState().pending.length > 0) await acknowledged()
      const p = await api.place(id, q)
      const now = useTool.getState()
      if (now.kind !== q.how || now.light !== q.light) return
      const day = doc()?.day
      if (p.able && p.aim && done && q.how === 'beam' && day?.sun === q.light) {
        // The sky goes with its sun.
        const to = bearing(p.aim)
        sunTo(day, to.height, to.azimuth, `${doc()?.lights[q.light]?.name ?? 'Sun'} lets its beam fall there`, true)
      } else if (p.able) lightEdits.place(q.light, p, toolOf(q.how)?.done ?? 'placed', done)
      if (done && p.able) {
        if (p.words) say(`${p.words}.`)
        endTool(true)
      } else useTool.setState({ words: wordsOf(p), able: p.able })
    } catch (e) {
      useTool.setState({ words: e instanceof Refused ? e.fault.what : 'The server did not answer.', able: false })
    } finally {
      busy.current = false
      if (wanted.current) void ask()
    }
  }

  const question = (p: At, done: boolean) => {
    if (!kind || !light || kind === 'colour' || kind === 'neutral' || kind === 'balls' || kind === 'focus' || (toolOf(kind)?.then && !first)) return
    const q: PlaceAsk = { gaze: gazeNow(0), how: kind, light, x: p.x, y: p.y, fromX: 0, fromY: 0, distance: 0 }
    if (kind === 'shadow' && first) {
      q.fromX = first.x
      q.fromY = first.y
    }
    if (kind === 'hold' && first) {
      q.x = first.x
      q.y = first.y
      q.distance = Math.max(reach.current.from * 2 ** ((p.x - reach.current.x) * 5), 0.1)
    }
    if (wanted.current?.done) return
    wanted.current = { q, done }
    void ask()
  }

  const begin = async (p: At) => {
    const id = useSetup.getState().id
    const l = light ? doc()?.lights[light] : undefined
    if (kind === 'hold' && id !== null && light && l) {
      // How far it is from there now.
      const r = await api.place(id, { gaze: gazeNow(0), how: 'aim', light, x: p.x, y: p.y, fromX: 0, fromY: 0, distance: 0 }).catch(() => null)
      if (!r?.able) {
        useTool.setState({ words: r?.words ?? 'The server did not answer.', able: false })
        return
      }
      reach.current = { from: Math.hypot(...l.position.map((v, k) => v - (r.at[k] ?? 0))), x: p.x }
    }
    useTool.setState({ first: { x: p.x, y: p.y }, words: '', able: true })
  }
  return { question, begin }
}

/** takeColour gives a light the colour of a place. */
function takeColour(light: string, c: RGB | null) {
  const l = doc()?.lights[light]
  if (!c || !l || !(luminance(c) > 0)) {
    useTool.setState({ words: 'There is no light to take a colour from.', able: false })
    return
  }
  endTool()
  const y = luminance(c)
  lightEdits.rgb(light, l, c.map((v) => Math.round((Math.max(v, 0) / y) * 1e4) / 1e4) as RGB)
}

/** pictureTools are of the picture, not of a light. */
const pictureTools = {
  neutral: { name: 'Pick a neutral', ask: 'Click a place that is to be grey' },
  focus: { name: 'Focus', ask: 'Click what is to be sharp' },
  balls: { name: 'Set a chrome and a grey ball', ask: 'Click where the balls are to be set' },
}

/** takeNeutral lets the colour of a place be grey. */
function takeNeutral(c: RGB | null) {
  if (!c || !(luminance(c) > 0)) {
    useTool.setState({ words: 'There is no light there to go by.', able: false })
    return
  }
  endTool()
  neutralHere(c)
}

/** focusAt focuses the view on what lies at a place. */
function focusAt(p: At) {
  const { doc, view } = useSetup.getState()
  const v = doc?.views[view]
  const c = cameraNow()
  const u = c && under(c, p.x, p.y)
  if (!v || !c || !u) {
    useTool.setState({ words: 'That is the open sky: choose a thing.', able: false })
    return
  }
  endTool()
  const long = Math.hypot(...c.aim)
  const along = u.position.reduce((a, q, k) => a + ((q - (c.eye[k] ?? 0)) * (c.aim[k] ?? 0)) / long, 0)
  setFocus(view, v, along, true)
}

/** ToolLayer lies over the picture while a tool is in hand: the pointer shows what a click would do. */
export function ToolLayer({ colourAt }: { colourAt: (x: number, y: number) => Promise<RGB | null> }) {
  const { kind, light, first, words, able } = useTool()
  const name = useSetup((s) => (light ? s.doc?.lights[light]?.name : ''))
  const box = useRef<HTMLDivElement>(null)
  const spec = toolOf(kind)

  const { question, begin } = usePlacing(kind, light)
  // A neutral is the picture's, not a light's.
  const picks = kind === 'colour' || kind === 'neutral'
  const own = kind === 'neutral' || kind === 'balls' || kind === 'focus'
  if (!kind || (!light && !own)) return null
  const take = (c: RGB | null) => (kind === 'neutral' ? takeNeutral(c) : light && takeColour(light, c))

  return (
    <div
      ref={box}
      className={`tool-layer${able ? '' : ' cannot'}`}
      data-tool={kind}
      role="application"
      aria-label={own ? pictureTools[kind].name : `${spec?.command ?? 'Pick a colour'} for ${name}`}
      onPointerMove={(e) => {
        if (!box.current || e.buttons > 1) return
        const p = where(e, box.current)
        if (kind === 'balls' || kind === 'focus') return
        if (picks) {
          void colourAt(p.x, p.y).then((c) => useTool.getState().kind === kind && useTool.setState({ able: Boolean(c && luminance(c) > 0), words: '' }))
          return
        }
        question(p, false)
      }}
      onPointerDown={(e) => e.button === 0 && e.stopPropagation()}
      onPointerUp={(e) => {
        if (e.button !== 0 || !box.current) return
        e.stopPropagation()
        const p = where(e, box.current)
        if (kind === 'balls') {
          endTool()
          void setBalls(p.x, p.y)
        } else if (kind === 'focus') focusAt(p)
        else if (picks) {
          void colourAt(p.x, p.y).then(take)
        } else if (spec?.then && !first) void begin(p)
        else question(p, true)
      }}
    >
      {first && <span className="first" style={{ left: `${first.x * 100}%`, top: `${first.y * 100}%` }} />}
      <UnderPicture>
        <p className="tool-words" role="status">
          <b>{name}</b> {own ? pictureTools[kind].ask : kind === 'colour' ? 'Click a place: the light takes its colour' : first ? spec?.then : spec?.ask}
          {words && <span className="result">{words}</span>}
          <Button className="word" onPointerDown={(e) => e.stopPropagation()} onPointerUp={(e) => e.stopPropagation()} onClick={() => endTool()}>
            leave it (Esc)
          </Button>
        </p>
      </UnderPicture>
    </div>
  )
}

/** UnderPicture puts what a tool says into the line under the picture, where it hides nothing that can be clicked; without that line, where it is. */
function UnderPicture({ children }: { children: React.ReactNode }) {
  const line = document.getElementById(toolLine)
  return line ? createPortal(children, line) : children
}
