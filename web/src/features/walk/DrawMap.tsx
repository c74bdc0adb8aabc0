import { useEffect, useRef, useState, type KeyboardEvent, type MouseEvent, type PointerEvent } from 'react'
import type { Level, Route, Walked } from '../../api.gen'
import { cameraNow } from '../../kernel/look'
import { useSetup } from '../../kernel/store'
import { told } from '../../kernel/told'
import { startSurvey, useSurvey } from './queries'
import { onGround, setRoute } from './routeEdits'
import { between, nearestHeight, type V3 } from './plan'

const margin = 3

/** extent is the box of all that is drawn, in metres. */
function extent(r: Route, w: Walked | null, l: Level | null) {
  const eye = cameraNow()?.eye
  const at: V3[] = [...r.stops.map((s) => s.at), ...(w?.steps.map((s) => s.at) ?? []), ...(l?.spots.map((s) => s.at) ?? [])]
  if (at.length < 2 && eye) at.push([eye[0] - 10, 0, eye[2] - 10], [eye[0] + 10, 0, eye[2] + 10])
  const xs = at.map((p) => p[0])
  const zs = at.map((p) => p[2])
  const x = Math.min(...xs) - margin
  const z = Math.min(...zs) - margin
  return { x, z, w: Math.max(...xs) + margin - x, h: Math.max(...zs) + margin - z }
}

/** placeOf is the place of the plan under the pointer. */
function placeOf(svg: SVGSVGElement, e: { clientX: number; clientY: number }) {
  const m = svg.getScreenCTM()?.inverse()
  return m ? new DOMPoint(e.clientX, e.clientY).matrixTransform(m) : null
}

let last: Promise<unknown> = Promise.resolve()

/** inTurn changes a route's stops after all changes before: each has to ask where the ground is. */
function inTurn(id: string, change: (now: Route, set: (stops: Route['stops'], words: string) => void) => Promise<void>): Promise<void> {
  const mine = last.then(async () => {
    const now = useSetup.getState().doc?.routes?.[id]
    if (now) await change(now, (stops, words) => setRoute(id, now, { stops }, words))
  })
  last = mine.catch(() => undefined)
  return mine
}

interface Drag {
  k: number
  x: number
  z: number
}

/** DrawMap is the plan on which a route's stops are drawn: a press puts one, on the line between two, a drag moves one, Delete takes it away. */
export function DrawMap({ id, r, w }: { id: string; r: Route; w: Walked | null }) {
  const { data } = useSurvey()
  const l = data?.level ?? null
  const none = data?.task.state === 'none' && !w
  const [drag, setDrag] = useState<Drag | null>(null)
  const begun = useRef(false)
  useEffect(() => {
    if (!none || begun.current) return
    begun.current = true // once: what was stopped stays so
    told(startSurvey(''))
  }, [none])
  const b = extent(r, w, l)
  const thick = b.w / 150
  const stops = r.stops.map((s, i): V3 => (drag?.k === i ? [drag.x, s.at[1], drag.z] : s.at))
  const heights: V3[] = [...r.stops.map((s) => s.at), ...(w?.steps.map((s) => s.at) ?? []), ...(l?.spots.map((s) => s.at) ?? [])]
  const move = (k: number, to: (at: V3) => [number, number]) =>
    inTurn(id, async (now, set) => {
      const s = now.stops[k]
      if (!s) return
      const [x, z] = to(s.at)
      const at = await onGround([x, s.at[1], z])
      set(now.stops.map((q, i) => (i === k ? { ...q, at } : q)), `stop ${k + 1} moved`)
    })
  const put = (x: number, z: number) =>
    inTurn(id, async (now, set) => {
      const at = await onGround([x, nearestHeight(heights, x, z), z])
      const k = between(now.stops.map((s) => s.at), x, z, thick * 3)
      set([...now.stops.slice(0, k), { at }, ...now.stops.slice(k)], `stop ${k + 1}`)
    })
  const key = (k: number) => (e: KeyboardEvent) => {
    const by: Record<string, [number, number]> = { ArrowRight: [1, 0], ArrowLeft: [-1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }
    const d = by[e.key]
    const far = e.shiftKey ? 1 : 0.25
    if (d) told(move(k, (at) => [at[0] + d[0] * far, at[2] + d[1] * far]))
    else if (e.key === 'Delete' || e.key === 'Backspace') setRoute(id, r, { stops: r.stops.filter((_, i) => i !== k) }, `stop ${k + 1} removed`)
    else return
    e.preventDefault()
    e.stopPropagation()
  }
  const press = (e: MouseEvent<SVGSVGElement>) => {
    if ((e.target as Element).tagName === 'circle') return
    const p = placeOf(e.currentTarget, e)
    if (p) told(put(p.x, p.y))
  }
  return (
    <>
      <svg className="walk-plan draws" viewBox={`${b.x} ${b.z} ${b.w} ${b.h}`} role="group" aria-label="Plan to draw the route on" data-testid="walk-draw" onClick={press}>
        {l?.spots.map((s) => <rect key={s.at.join()} x={s.at[0] - l.cell / 2} y={s.at[2] - l.cell / 2} width={l.cell * 1.04} height={l.cell * 1.04} className="ground" />)}
        {(w?.walls ?? l?.walls ?? []).map((q, i) => (
          <line key={i} x1={q[0]} y1={q[1]} x2={q[2]} y2={q[3]} className="wall" strokeWidth={thick * 0.35} />
        ))}
        <polyline points={stops.map((p) => `${p[0]},${p[2]}`).join(' ')} className="way" strokeWidth={thick * 0.8} />
        {stops.map((p, k) => (
          <Stop key={k} k={k} name={r.stops[k]?.name ?? ''} at={p} size={thick} grab={setDrag} drop={(x, z) => told(move(k, () => [x, z]).finally(() => setDrag(null)))} onKeyDown={key(k)} />
        ))}
      </svg>
      <p className="quiet">A press puts the next stop; on the line, one between two. {data?.task.state === 'working' ? 'What can be walked is being looked for.' : ''}</p>
    </>
  )
}

interface StopProps {
  k: number
  name: string
  at: V3
  size: number
  grab: (d: Drag | null) => void
  drop: (x: number, z: number) => void
  onKeyDown: (e: KeyboardEvent) => void
}

/** Stop is a stop on the plan, dragged by hand or moved by keys. */
function Stop({ k, name, at, size, grab, drop, onKeyDown }: StopProps) {
  const last = useRef<{ x: number; z: number; moved: boolean } | null>(null)
  const move = (e: PointerEvent<SVGCircleElement>) => {
    const svg = e.currentTarget.ownerSVGElement
    const q = last.current && svg ? placeOf(svg, e) : null
    if (!q) return
    last.current = { x: q.x, z: q.y, moved: true }
    grab({ k, x: q.x, z: q.y })
  }
  return (
    <circle
      cx={at[0]}
      cy={at[2]}
      r={size * 2.4}
      className="stop"
      strokeWidth={size * 0.5}
      role="button"
      tabIndex={0}
      aria-label={`Stop ${k + 1}${name ? `, ${name}` : ''}`}
      onKeyDown={onKeyDown}
      onPointerDown={(e) => {
        e.currentTarget.setPointerCapture(e.pointerId)
        last.current = { x: at[0], z: at[2], moved: false }
      }}
      onPointerMove={move}
      onPointerUp={() => {
        const l = last.current
        last.current = null
        if (l?.moved) drop(l.x, l.z)
      }}
      onPointerCancel={() => {
        last.current = null
        grab(null)
      }}
    >
      <title>{`Stop ${k + 1}: drag it, or move it with the arrows; Delete takes it away`}</title>
    </circle>
  )
}
