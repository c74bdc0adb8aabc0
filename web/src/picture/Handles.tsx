import type { Light, Setup } from '../api.gen'
import { add, axes, cross, dot, len, nearestOnLine, norm, onPlane, ray, sub, times, type Camera, type V3 } from '../kernel/camera'
import { grab, lightEdits, lockedLight } from '../kernel/lightEdits'
import { useLook, type Axes } from '../kernel/look'
import { tidy } from '../kernel/number'
import { useDrag } from './drag'
import { covered, under } from './ground'
import { held, where } from './navigate'
import { segment, polygon, leaves } from './outlines'

const aimed = (l: Light) => l.kind === 'spot' || l.kind === 'rect' || l.kind === 'disc'

interface HandleProps {
  id: string
  l: Light
  doc: Setup
  camera: Camera
  width: number
  height: number
  at: (p: V3) => { x: number; y: number; depth: number; u: number; v: number } | null
  box: React.RefObject<SVGSVGElement | null>
  colour: string
}

/** basis is three directions that a light can be moved along, with their names. */
export function basis(l: Light, camera: Camera, which: Axes): { name: string; dir: V3 }[] {
  if (which === 'world') return [{ name: 'x', dir: [1, 0, 0] }, { name: 'y', dir: [0, 1, 0] }, { name: 'z', dir: [0, 0, 1] }]
  if (which === 'view') {
    const { right, up } = axes(camera.aim, camera.roll)
    return [{ name: 'right', dir: right }, { name: 'up', dir: up }, { name: 'away', dir: norm(camera.aim) }]
  }
  const { right, up } = axes(l.aim, l.roll)
  return [{ name: 'along', dir: norm(l.aim) }, { name: 'side', dir: right }, { name: 'over', dir: up }]
}

/** surfaceAt is the surface under a picture position: its place and the way it faces. */
function surfaceAt(camera: Camera, x: number, y: number): { p: V3; n: V3 } | null {
  const a = under(camera, x, y)
  if (!a) return null
  const d = 0.004
  const b = under(camera, x + d, y)
  const c = under(camera, x, y + d)
  let n: V3 = [0, 1, 0]
  if (b && c) {
    n = norm(cross(sub(b.position, a.position), sub(c.position, a.position)))
    if (dot(n, ray(camera, x, y)) > 0) n = times(n, -1)
  }
  return { p: a.position, n }
}

export interface Pull {
  changes: Partial<Light>
  words: string
  shift?: V3
}

type Drag = (p: { x: number; y: number }) => Pull | null

/** Handles of one chosen light: place, arms, aim, cone, size and range. */
export function Handles({ id, l, doc, camera, width, height, at, box, colour }: HandleProps) {
  const which = useLook((s) => s.axes)
  const locked = lockedLight(doc, l)
  const c = at(l.position)
  const { words, pull } = useDrag<Pull>(box, (t, done) => lightEdits.handle(id, doc, t.changes, t.shift, t.words, done), lightEdits.drop)
  const begin = (e: React.PointerEvent, drag: Drag) => {
    if (locked || e.button !== 0) return
    grab(id)
    pull(e, drag)
  }
  if (!c) return null
  const behind = covered(camera, c.u, c.v, len(sub(l.position, camera.eye)))
  const aim = norm(l.aim)
  const { right, up } = axes(aim, l.roll)
  const face = axes(camera.aim, camera.roll)
  // A metre here, in pixels, and arms of an even length on the screen.
  const perMetre = height / (2 * c.depth * Math.tan((camera.fovY * Math.PI) / 360))
  const arm = 64 / perMetre
  const reach = Math.min(Math.max(l.range > 0 ? l.range * 0.6 : 3, 1), 6)
  const spotAt = add(l.position, times(aim, reach))
  const tip = at(spotAt)

  const free: Drag = (p) => {
    if (held.has('s')) {
      const s = surfaceAt(camera, p.x, p.y)
      if (!s) return null
      const to = add(s.p, times(s.n, Math.max(l.radius, 0.05) + 0.1))
      return { changes: {}, shift: sub(to, l.position), words: 'on the surface' }
    }
    const to = onPlane(l.position, norm(camera.aim), camera.eye, ray(camera, p.x, p.y))
    return to && { changes: {}, shift: sub(to, l.position), words: `moved ${tidy(len(sub(to, l.position)))} m` }
  }
  const along = (dir: V3, name: string, from: number): Drag => (p) => {
    const t = nearestOnLine(l.position, dir, camera.eye, ray(camera, p.x, p.y)) - from
    return { changes: {}, shift: times(dir, t), words: `${name} ${t < 0 ? '−' : '+'}${tidy(Math.abs(t))} m` }
  }
  const aimDrag: Drag = (p) => {
    const to = under(camera, p.x, p.y)?.position ?? onPlane(spotAt, norm(camera.aim), camera.eye, ray(camera, p.x, p.y))
    if (!to || len(sub(to, l.position)) < 0.02) return null
    return { changes: { aim: norm(sub(to, l.position)) }, words: 'aimed' }
  }
  const flatAt = (p: { x: number; y: number }) => onPlane(l.position, norm(camera.aim), camera.eye, ray(camera, p.x, p.y))
  const rangeDrag: Drag = (p) => {
    const q = flatAt(p)
    const r = q && Math.round(Math.max(len(sub(q, l.position)), 0.1) * 100) / 100
    return r ? { changes: { range: r }, words: `range ${tidy(r)} m` } : null
  }
  const radiusDrag: Drag = (p) => {
    const q = flatAt(p)
    if (!q) return null
    const r = Math.round(Math.min(Math.max(len(sub(q, l.position)), l.kind === 'disc' ? 0.01 : 0), 20) * 1000) / 1000
    return { changes: { radius: r }, words: `radius ${tidy(r)} m` }
  }
  const coneDrag = (which: 'inner' | 'outer'): Drag => (p) => {
    const q = onPlane(spotAt, aim, camera.eye, ray(camera, p.x, p.y)) ?? flatAt(p)
    if (!q) return null
    const d = sub(q, l.position)
    const a = Math.round(((Math.atan2(len(sub(d, times(aim, dot(d, aim)))), Math.max(dot(d, aim), 1e-3)) * 180) / Math.PI) * 10) / 10
    if (which === 'inner') return { changes: { inner: Math.min(Math.max(a, 0), l.outer) }, words: `inner cone ${tidy(Math.min(a, l.outer))}°` }
    const outer = Math.min(Math.max(a, 0.5), 89)
    return { changes: { outer, inner: Math.min(l.inner, outer) }, words: `outer cone ${tidy(outer)}°` }
  }
  const cornerDrag: Drag = (p) => {
    const q = onPlane(l.position, aim, camera.eye, ray(camera, p.x, p.y)) ?? flatAt(p)
    if (!q) return null
    const d = sub(q, l.position)
    const w = Math.round(Math.max(2 * Math.abs(dot(d, right)), 0.02) * 100) / 100
    const h = Math.round(Math.max(2 * Math.abs(dot(d, up)), 0.02) * 100) / 100
    return { changes: { width: w, height: h }, words: `${tidy(w)} × ${tidy(h)} m` }
  }
  const ring = (centre: V3, r: number, u: V3, v: V3) => {
    const pts = Array.from({ length: 49 }, (_, i) => at(add(centre, add(times(u, r * Math.cos((i * Math.PI) / 24)), times(v, r * Math.sin((i * Math.PI) / 24))))))
    return pts.every(Boolean) ? `M ${pts.map((q) => `${q?.x.toFixed(1)} ${q?.y.toFixed(1)}`).join(' L ')}` : ''
  }
  const grip = (p: V3, shape: string, drag: Drag, label: string) => {
    const q = at(p)
    return q && q.x > -20 && q.y > -20 && q.x < width + 20 && q.y < height + 20 ? (
      <g className="grip" transform={`translate(${q.x} ${q.y})`} data-grip={label} onPointerDown={(e) => begin(e, drag)}>
        <title>{label}</title>
        <circle r={9} className="touch" />
        <path d={shape} />
      </g>
    ) : null
  }
  const square = 'M -4 -4 h 8 v 8 h -8 z'
  const diamond = 'M 0 -6.500 L 6.500 0 L 0 6.500 L -6.500 0 z'
  const wedge = 'M -5 -4 L 5 0 L -5 4 z'
  const cone = (deg: number) => reach * Math.tan((Math.min(deg, 85) * Math.PI) / 180)
  return (
    <g className={`handles${behind ? ' behind' : ''}${locked ? ' locked' : ''}`} data-handles={id}>
      {aimed(l) && tip && <line className="aim" x1={c.x} y1={c.y} x2={tip.x} y2={tip.y} />}
      {l.kind === 'spot' && (
        <>
          <path className="cone" d={ring(spotAt, cone(l.outer), right, up)} />
          <path className="cone inner" d={ring(spotAt, cone(l.inner), right, up)} />
          {[right, times(right, -1), up, times(up, -1)].map((d, i) => {
            const q = at(add(spotAt, times(d, cone(l.outer))))
            return q ? <line key={i} className="cone" x1={c.x} y1={c.y} x2={q.x} y2={q.y} /> : null
          })}
        </>
      )}
      {l.doors && <path className="doors-drawn" d={leaves(l, right, up).map((f) => polygon(f, at)).join(' ')} />}
      {l.kind === 'line' || (l.kind === 'point' && l.length) ? <path className="size" d={segment(add(l.position, times(right, -(l.length ?? 0) / 2)), add(l.position, times(right, (l.length ?? 0) / 2)), at)} /> : null}
      {l.range > 0 && <path className="range" d={ring(l.position, l.range, face.right, face.up)} />}
      {l.kind === 'rect' && (
        <path
          className="size"
          d={`M ${[[1, 1], [-1, 1], [-1, -1], [1, -1]].map(([a, b]) => at(add(l.position, add(times(right, ((a ?? 0) * l.width) / 2), times(up, ((b ?? 0) * l.height) / 2))))).filter(Boolean).map((q) => `${q?.x} ${q?.y}`).join(' L ')} z`}
        />
      )}
      {l.kind !== 'rect' && l.radius > 0 && <path className="size" d={l.kind === 'disc' ? ring(l.position, l.radius, right, up) : ring(l.position, l.radius, face.right, face.up)} />}
      {basis(l, camera, which).map(({ name, dir }) => {
        const q = at(add(l.position, times(dir, arm)))
        if (!q || Math.hypot(q.x - c.x, q.y - c.y) < 10) return null
        const k = 1 / Math.hypot(q.x - c.x, q.y - c.y)
        const nx = -(q.y - c.y) * k * 5
        const ny = (q.x - c.x) * k * 5
        return (
          <g key={name} className="arm" data-grip={name} onPointerDown={(e) => {
            const p = box.current ? where(e, box.current) : { x: 0, y: 0 }
            begin(e, along(dir, name, nearestOnLine(l.position, dir, camera.eye, ray(camera, p.x, p.y))))
          }}>
            <line className="touch-line" x1={c.x} y1={c.y} x2={q.x} y2={q.y} />
            <line x1={c.x} y1={c.y} x2={q.x} y2={q.y} />
            <line className="bar" x1={q.x - nx} y1={q.y - ny} x2={q.x + nx} y2={q.y + ny} />
            <text x={q.x + (q.x - c.x) * k * 10} y={q.y + (q.y - c.y) * k * 10 + 4} textAnchor="middle">
              {name}
            </text>
          </g>
        )
      })}
      {l.kind === 'spot' && grip(add(spotAt, times(right, cone(l.outer))), wedge, coneDrag('outer'), 'outer cone')}
      {l.kind === 'spot' && l.inner > 0 && grip(add(spotAt, times(right, -cone(l.inner))), wedge, coneDrag('inner'), 'inner cone')}
      {l.range > 0 && grip(add(l.position, times(face.right, l.range)), square, rangeDrag, 'range')}
      {l.kind === 'rect' && grip(add(l.position, add(times(right, l.width / 2), times(up, l.height / 2))), square, cornerDrag, 'size')}
      {l.kind === 'disc' && grip(add(l.position, times(right, l.radius)), square, radiusDrag, 'size')}
      {(l.kind === 'point' || l.kind === 'spot') && grip(add(l.position, times(face.up, -Math.max(l.radius, 26 / perMetre))), square, radiusDrag, 'size')}
      {aimed(l) && grip(spotAt, diamond, aimDrag, 'aim')}
      <g className="grip centre" transform={`translate(${c.x} ${c.y})`} data-grip="position" onPointerDown={(e) => begin(e, free)}>
        <circle r={11} className="touch" />
        <circle r={8} className="ring" />
        <circle r={3} fill={colour} stroke="none" />
      </g>
      <text className="name" x={c.x + 14} y={c.y - 12}>
        {l.name}
        {words ? ` · ${words}` : l.range > 0 ? ` · range ${tidy(l.range)} m` : ''}
        {locked ? ' · locked' : ''}
      </text>
    </g>
  )
}
