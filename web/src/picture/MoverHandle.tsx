import type { Setup } from '../api.gen'
import { tidy } from '../kernel/number'
import { change, entryOf, tree } from '../kernel/objectEdits'
import { useThings } from '../kernel/things'
import { draft } from '../kernel/store'
import { add, len, nearestOnLine, onPlane, ray, sub, times, type Camera, type V3 } from '../kernel/camera'
import { useLook } from '../kernel/look'
import { useDrag } from './drag'

interface Props {
  doc: Setup
  camera: Camera
  at: (p: V3) => { x: number; y: number; depth: number } | null
  box: React.RefObject<SVGSVGElement | null>
}

interface Stand {
  offset: V3
  turn: number
  words: string
}

const up: V3 = [0, 1, 0]
const mm = (v: number) => Math.round(v * 1000) / 1000

/** moverOf is the path of the mover that the chosen objects belong to, if they belong to one. */
export function moverOf(doc: Setup, paths: string[]): string | undefined {
  const first = paths[0]
  if (first === undefined) return undefined
  const over = (p: string, path: string) => path === p || path.startsWith(`${p}/`)
  return Object.values(doc.objects ?? {})
    .filter((o) => o.part === 'mover' && paths.every((p) => over(o.path, p)))
    .map((o) => o.path)
    .sort((a, b) => b.length - a.length)[0]
}

/** MoverHandle stands a chosen mover elsewhere: over the ground, up, and turned. */
export function MoverHandle({ doc, camera, at, box }: Props) {
  const chosen = useLook((s) => s.objects)
  const things = useThings((s) => s.things)
  const path = moverOf(doc, chosen.map((i) => things[i]?.path ?? ''))
  const own = path === undefined ? undefined : entryOf(doc, path)?.[1]
  const name = own?.name || path?.split('/').at(-1) || ''
  const { words, pull } = useDrag<Stand>(box, (s, done) => change(path ?? '', { offset: s.offset.map(mm) as V3, turn: mm(s.turn) }, s.words, things, done), () => draft([]))
  if (path === undefined || !own || own.locked) return null
  const members = tree(things).find((n) => n.path === path)?.things.map((i) => things[i]) ?? []
  // The hand takes it by the middle: feet are often below the picture's edge.
  const tallness = members.reduce((h, t) => Math.max(h, t ? t.hi[1] : -Infinity), -Infinity) - members.reduce((h, t) => Math.min(h, t ? t.lo[1] : Infinity), Infinity)
  const foot = add(own.pivot, own.offset)
  const base = add(foot, times(up, Number.isFinite(tallness) ? tallness / 2 : 0))
  const size = members.reduce((r, t) => Math.max(r, t ? Math.hypot(t.hi[0] - t.lo[0], t.hi[2] - t.lo[2]) / 2 : 0), 0.2)
  const r = Math.min(Math.max(size * 1.2, 0.4), 3)
  const c = at(base)
  if (!c) return null
  const round = (a: number): V3 => add(base, [r * Math.sin(a), 0, r * Math.cos(a)])
  const pts = Array.from({ length: 49 }, (_, i) => at(round((i * Math.PI) / 24)))
  const heading = (own.turn * Math.PI) / 180
  const front = at(round(heading))
  const tall = Math.max(r, 0.6)
  const ground = at(foot)
  const top = at(add(base, times(up, tall)))
  const under = (p: { x: number; y: number }) => onPlane(base, up, camera.eye, ray(camera, p.x, p.y))
  const slide = (p: { x: number; y: number }): Stand | null => {
    const q = under(p)
    if (!q || len(sub(q, base)) > 200) return null
    return { offset: add(own.offset, sub(q, base)), turn: own.turn, words: `moved ${tidy(len(sub(q, base)))} m` }
  }
  const lift = (p: { x: number; y: number }): Stand => {
    const h = nearestOnLine(base, up, camera.eye, ray(camera, p.x, p.y)) - tall
    return { offset: add(own.offset, times(up, h)), turn: own.turn, words: `${h < 0 ? 'lowered' : 'raised'} ${tidy(Math.abs(h))} m` }
  }
  const spin = (p: { x: number; y: number }): Stand | null => {
    const q = under(p)
    if (!q) return null
    const a = Math.round((Math.atan2(q[0] - base[0], q[2] - base[2]) * 180) / Math.PI)
    return { offset: own.offset as V3, turn: a, words: `turned ${a}°` }
  }
  return (
    <g className="handles" data-handles={path}>
      {ground && <line className="aim" x1={c.x} y1={c.y} x2={ground.x} y2={ground.y} />}
      {pts.every(Boolean) && <path className="cone" d={`M ${pts.map((q) => `${q?.x.toFixed(1)} ${q?.y.toFixed(1)}`).join(' L ')} z`} />}
      {front && (
        <g className="grip" data-grip="turn" transform={`translate(${front.x} ${front.y})`} onPointerDown={(e) => pull(e, spin)}>
          <title>turn</title>
          <circle r={9} className="touch" />
          <path d="M -5 -4 L 5 0 L -5 4 z" />
        </g>
      )}
      {top && (
        <g className="arm" data-grip="up" onPointerDown={(e) => pull(e, lift)}>
          <line className="touch-line" x1={c.x} y1={c.y} x2={top.x} y2={top.y} />
          <line x1={c.x} y1={c.y} x2={top.x} y2={top.y} />
          <line className="bar" x1={top.x - 5} y1={top.y} x2={top.x + 5} y2={top.y} />
          <text x={top.x} y={top.y - 6} textAnchor="middle">
            up
          </text>
        </g>
      )}
      <g className="grip centre" data-grip="stand" transform={`translate(${c.x} ${c.y})`} onPointerDown={(e) => pull(e, slide)}>
        <title>{`Move ${name} over the ground`}</title>
        <circle r={11} className="touch" />
        <circle r={7} className="ring" />
        <path d="M -3 0 h 6 M 0 -3 v 6" />
      </g>
      <text className="name" x={c.x + 14} y={c.y + 16}>
        {name}
        {words ? ` · ${words}` : ''}
      </text>
    </g>
  )
}
