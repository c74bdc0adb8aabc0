import { useRef } from 'react'
import type { Light, Setup, Warmth } from '../api.gen'
import { deeds, grab, lockedLight } from '../ledger/deeds'
import { tidy } from '../fields/number'
import { isOff } from '../setup/sums'
import { useThings } from '../scene/things'
import { standing } from '../setup/travel'
import { toneOf } from '../setup/tone'
import { add, axes, cross, dot, len, nearestOnLine, norm, onPlane, project, ray, sub, times, type Camera, type V3 } from './camera'
import { covered, under } from './ground'
import { choose, useLook, type Axes } from './look'
import { MoverHandle } from './MoverHandle'
import { held, where } from './navigate'
import { useTug } from './tug'

interface Props {
  camera: Camera
  doc: Setup
  warmth: Warmth
  width: number
  height: number
}

const placed = (l: Light) => l.kind !== 'sky' && l.kind !== 'emissive' && l.kind !== 'sun'
const aimed = (l: Light) => l.kind === 'spot' || l.kind === 'rect' || l.kind === 'disc'

/** Overlay is what is drawn over the picture: handles, guides, pins. All of it goes away with one key. */
export function Overlay({ camera, doc, warmth, width, height }: Props) {
  const handles = useLook((s) => s.handles)
  const thirds = useLook((s) => s.thirds)
  const safe = useLook((s) => s.safe)
  const picked = useLook((s) => s.picked)
  const pins = useLook((s) => s.pins)
  const marked = useLook((s) => s.marked)
  const weighing = useLook((s) => s.weighing)
  const box = useRef<SVGSVGElement>(null)
  const at = (p: V3) => {
    const q = project(camera, p)
    return q ? { x: q.x * width, y: q.y * height, depth: q.depth, u: q.x, v: q.y } : null
  }
  const colourOf = (id: string, l: Light) => toneOf(doc, id, l, warmth)
  return (
    <svg ref={box} className="overlay" width={width} height={height} aria-hidden={!handles} data-testid="overlay">
      {thirds && (
        <path className="guide" d={[1, 2].map((i) => `M ${(i * width) / 3} 0 V ${height} M 0 ${(i * height) / 3} H ${width}`).join(' ')} />
      )}
      {safe && (
        <>
          <rect className="guide" x={width * 0.035} y={height * 0.035} width={width * 0.93} height={height * 0.93} />
          <rect className="guide dotted" x={width * 0.05} y={height * 0.05} width={width * 0.9} height={height * 0.9} />
        </>
      )}
      {handles &&
        Object.entries(doc.lights).map(([id, raw]) => {
          const l = standing(id, raw)
          if (!placed(l) || picked.has(id)) return null
          const p = at(l.position)
          if (!p || p.x < 0 || p.y < 0 || p.x > width || p.y > height) return null
          const behind = covered(camera, p.u, p.v, len(sub(l.position, camera.eye)))
          return (
            <g
              key={id}
              className={`mark${behind ? ' behind' : ''}${isOff(doc, l) ? ' off' : ''}`}
              transform={`translate(${p.x} ${p.y})`}
              data-mark={id}
              onPointerDown={(e) => {
                if (e.button !== 0) return
                e.stopPropagation()
                choose(id, e.shiftKey || e.ctrlKey)
              }}
            >
              <title>{l.name}</title>
              <circle r={9} className="touch" />
              <circle r={4.5} className="dark" />
              <circle r={3} fill={colourOf(id, l)} />
            </g>
          )
        })}
      {handles && [...picked].map((id) => {
        const raw = doc.lights[id]
        if (!raw) return null
        const l = standing(id, raw)
        if (l.kind === 'sun') return <SunDial key={id} id={id} l={l} camera={camera} doc={doc} box={box} />
        return placed(l) ? <Handles key={id} id={id} l={l} doc={doc} camera={camera} width={width} height={height} at={at} box={box} colour={colourOf(id, l)} /> : null
      })}
      {handles && <Blockers doc={doc} at={at} />}
      {handles && <MoverHandle doc={doc} camera={camera} at={at} box={box} />}
      {marked && <Marked marked={marked} at={at} />}
      {pins.map((p, i) => {
        const q = p.position ? at(p.position) : null
        return q ? (
          <g key={p.id} className="pin" transform={`translate(${q.x} ${q.y})`}>
            <path d="M 0 0 l -5 -11 a 5.500 5.500 0 1 1 10 0 z" />
            <text y={-11} textAnchor="middle">
              {i + 1}
            </text>
          </g>
        ) : null
      })}
      {weighing && <path className="cross" d={`M ${weighing.x * width - 9} ${weighing.y * height} h 18 M ${weighing.x * width} ${weighing.y * height - 9} v 18`} />}
    </svg>
  )
}

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

interface Pull {
  changes: Partial<Light>
  words: string
  shift?: V3
}

type Tug = (p: { x: number; y: number }) => Pull | null

/** Handles of one chosen light: place, arms, aim, cone, size and range. */
function Handles({ id, l, doc, camera, width, height, at, box, colour }: HandleProps) {
  const which = useLook((s) => s.axes)
  const locked = lockedLight(doc, l)
  const c = at(l.position)
  const { words, pull } = useTug<Pull>(box, (t, done) => deeds.handle(id, doc, t.changes, t.shift, t.words, done), deeds.drop)
  const begin = (e: React.PointerEvent, tug: Tug) => {
    if (locked || e.button !== 0) return
    grab(id)
    pull(e, tug)
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

  const free: Tug = (p) => {
    if (held.has('s')) {
      const s = surfaceAt(camera, p.x, p.y)
      if (!s) return null
      const to = add(s.p, times(s.n, Math.max(l.radius, 0.05) + 0.1))
      return { changes: {}, shift: sub(to, l.position), words: 'on the surface' }
    }
    const to = onPlane(l.position, norm(camera.aim), camera.eye, ray(camera, p.x, p.y))
    return to && { changes: {}, shift: sub(to, l.position), words: `moved ${tidy(len(sub(to, l.position)))} m` }
  }
  const along = (dir: V3, name: string, from: number): Tug => (p) => {
    const t = nearestOnLine(l.position, dir, camera.eye, ray(camera, p.x, p.y)) - from
    return { changes: {}, shift: times(dir, t), words: `${name} ${t < 0 ? '−' : '+'}${tidy(Math.abs(t))} m` }
  }
  const aimTug: Tug = (p) => {
    const to = under(camera, p.x, p.y)?.position ?? onPlane(spotAt, norm(camera.aim), camera.eye, ray(camera, p.x, p.y))
    if (!to || len(sub(to, l.position)) < 0.02) return null
    return { changes: { aim: norm(sub(to, l.position)) }, words: 'aimed' }
  }
  const flatAt = (p: { x: number; y: number }) => onPlane(l.position, norm(camera.aim), camera.eye, ray(camera, p.x, p.y))
  const rangeTug: Tug = (p) => {
    const q = flatAt(p)
    const r = q && Math.round(Math.max(len(sub(q, l.position)), 0.1) * 100) / 100
    return r ? { changes: { range: r }, words: `range ${tidy(r)} m` } : null
  }
  const radiusTug: Tug = (p) => {
    const q = flatAt(p)
    if (!q) return null
    const r = Math.round(Math.min(Math.max(len(sub(q, l.position)), l.kind === 'disc' ? 0.01 : 0), 20) * 1000) / 1000
    return { changes: { radius: r }, words: `radius ${tidy(r)} m` }
  }
  const coneTug = (which: 'inner' | 'outer'): Tug => (p) => {
    const q = onPlane(spotAt, aim, camera.eye, ray(camera, p.x, p.y)) ?? flatAt(p)
    if (!q) return null
    const d = sub(q, l.position)
    const a = Math.round(((Math.atan2(len(sub(d, times(aim, dot(d, aim)))), Math.max(dot(d, aim), 1e-3)) * 180) / Math.PI) * 10) / 10
    if (which === 'inner') return { changes: { inner: Math.min(Math.max(a, 0), l.outer) }, words: `inner cone ${tidy(Math.min(a, l.outer))}°` }
    const outer = Math.min(Math.max(a, 0.5), 89)
    return { changes: { outer, inner: Math.min(l.inner, outer) }, words: `outer cone ${tidy(outer)}°` }
  }
  const cornerTug: Tug = (p) => {
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
  const grip = (p: V3, shape: string, tug: Tug, label: string) => {
    const q = at(p)
    return q && q.x > -20 && q.y > -20 && q.x < width + 20 && q.y < height + 20 ? (
      <g className="grip" transform={`translate(${q.x} ${q.y})`} data-grip={label} onPointerDown={(e) => begin(e, tug)}>
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
      {l.kind === 'spot' && grip(add(spotAt, times(right, cone(l.outer))), wedge, coneTug('outer'), 'outer cone')}
      {l.kind === 'spot' && l.inner > 0 && grip(add(spotAt, times(right, -cone(l.inner))), wedge, coneTug('inner'), 'inner cone')}
      {l.range > 0 && grip(add(l.position, times(face.right, l.range)), square, rangeTug, 'range')}
      {l.kind === 'rect' && grip(add(l.position, add(times(right, l.width / 2), times(up, l.height / 2))), square, cornerTug, 'size')}
      {l.kind === 'disc' && grip(add(l.position, times(right, l.radius)), square, radiusTug, 'size')}
      {(l.kind === 'point' || l.kind === 'spot') && grip(add(l.position, times(face.up, -Math.max(l.radius, 26 / perMetre))), square, radiusTug, 'size')}
      {aimed(l) && grip(spotAt, diamond, aimTug, 'aim')}
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

type Projected = (p: V3) => { x: number; y: number } | null

const segment = (a: V3, b: V3, at: Projected) => {
  const p = at(a)
  const q = at(b)
  return p && q ? `M ${p.x} ${p.y} L ${q.x} ${q.y}` : ''
}

const polygon = (pts: V3[], at: Projected) => {
  const q = pts.map(at)
  return q.every(Boolean) ? `M ${q.map((p) => `${p?.x.toFixed(1)} ${p?.y.toFixed(1)}`).join(' L ')} z` : ''
}

/** leaves are the corners of a light's barn doors, as the core hangs them. */
export function leaves(l: Light, right: V3, up: V3): V3[][] {
  const d = l.doors
  if (!d) return []
  const aim = norm(l.aim)
  const w = l.kind === 'rect' ? l.width / 2 : Math.max(l.radius, 0.01)
  const h = l.kind === 'rect' ? l.height / 2 : w
  const front = l.kind === 'spot' ? add(l.position, times(aim, l.radius)) : l.position
  const hung: [V3, V3, number, number, number][] = [
    [up, right, h, w, d.top],
    [times(up, -1), right, h, w, d.bottom],
    [times(right, -1), up, w, h, d.left],
    [right, up, w, h, d.right],
  ]
  return hung.map(([off, side, dist, half, angle]) => {
    const a = (angle * Math.PI) / 180
    const hinge = add(front, times(off, dist))
    const end = add(hinge, times(add(times(aim, Math.cos(a)), times(off, Math.sin(a))), d.length))
    return [add(hinge, times(side, half)), add(hinge, times(side, -half)), add(end, times(side, -half - d.length)), add(end, times(side, half + d.length))]
  })
}

/** Marked is the place that a check has found. */
function Marked({ marked, at }: { marked: { at: V3; words: string }; at: Projected }) {
  const p = at(marked.at)
  return p ? (
    <g className="marked" data-testid="marked" transform={`translate(${p.x} ${p.y})`}>
      <circle r={16} />
      <path d="M 0 -22 v 9 M 0 22 v -9 M -22 0 h 9 M 22 0 h -9" />
      <text x={22} y={4}>
        {marked.words}
      </text>
    </g>
  ) : null
}

/** Blockers are unseen solids: drawn as the boxes round them. */
function Blockers({ doc, at }: { doc: Setup; at: Projected }) {
  const things = useThings((s) => s.things)
  const list = Object.values(doc.objects ?? {}).filter((o) => o.part === 'blocker')
  return list.flatMap((o) =>
    things
      .filter((t) => t.path === o.path || t.path.startsWith(`${o.path}/`))
      .map((t) => {
        const c = (i: number): V3 => [(i & 1 ? t.hi : t.lo)[0], (i & 2 ? t.hi : t.lo)[1], (i & 4 ? t.hi : t.lo)[2]]
        const edges = [0, 1, 2, 3, 4, 5, 6, 7].flatMap((i) => [1, 2, 4].filter((b) => !(i & b)).map((b) => segment(c(i), c(i | b), at)))
        const name = at(c(7))
        return (
          <g key={t.path} className="blocker" data-blocker={t.path}>
            <path d={edges.join(' ')} />
            {name && (
              <text x={name.x + 4} y={name.y - 4}>
                {o.name || t.name} · blocker
              </text>
            )}
          </g>
        )
      }),
  )
}

/** SunDial is a plan of the sky: north of the view is up, the rim is the horizon, the middle is overhead. */
function SunDial({ id, l, camera, doc, box }: { id: string; l: Light; camera: Camera; doc: Setup; box: React.RefObject<SVGSVGElement | null> }) {
  const R = 40
  const centre = { x: R + 16, y: R + 16 }
  const to = times(norm(l.aim), -1)
  const heading = Math.atan2(camera.aim[0], -camera.aim[2])
  const azimuth = Math.atan2(to[0], -to[2]) - heading
  const height = Math.asin(Math.min(Math.max(to[1], -1), 1))
  const r = R * (1 - Math.max(height, 0) / (Math.PI / 2))
  const x = centre.x + r * Math.sin(azimuth)
  const y = centre.y - r * Math.cos(azimuth)
  const locked = lockedLight(doc, l)
  const { pull } = useTug<Pull>(box, (t, done) => deeds.handle(id, doc, t.changes, undefined, t.words, done), deeds.drop)
  const begin = (e: React.PointerEvent) => {
    if (locked) return
    pull(e, (p) => {
      const dx = p.x * p.w - centre.x
      const dy = p.y * p.h - centre.y
      const q = Math.min(Math.hypot(dx, dy) / R, 1)
      const h = Math.max((1 - q) * (Math.PI / 2), 0.01)
      const a = Math.atan2(dx, -dy) + heading
      const d: V3 = [Math.cos(h) * Math.sin(a), Math.sin(h), -Math.cos(h) * Math.cos(a)]
      return { changes: { aim: times(d, -1) }, words: `${((h * 180) / Math.PI).toFixed(0)}° high` }
    })
  }
  return (
    <g className="handles dial" data-handles={id}>
      <circle className="plate" cx={centre.x} cy={centre.y} r={R} onPointerDown={begin} />
      <circle className="cone" cx={centre.x} cy={centre.y} r={R / 2} />
      <path className="cone" d={`M ${centre.x} ${centre.y - R} v 7`} />
      <line className="aim" x1={centre.x} y1={centre.y} x2={x} y2={y} />
      <g className="grip" data-grip="sun" transform={`translate(${x} ${y})`} onPointerDown={begin}>
        <circle r={9} className="touch" />
        <circle r={5} className="ring" />
      </g>
      <text className="name" x={centre.x - R} y={centre.y + R + 15}>
        {l.name} · {((height * 180) / Math.PI).toFixed(0)}° high
      </text>
    </g>
  )
}
