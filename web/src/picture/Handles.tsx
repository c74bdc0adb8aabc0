import type { Light, Setup } from '../api.gen'
import { add, axes, len, nearestOnLine, norm, ray, sub, times, type Camera, type V3 } from '../kernel/camera'
import { grab, lightEdits, lockedLight } from '../kernel/lightEdits'
import { useLook } from '../kernel/look'
import { tidy } from '../kernel/number'
import { useDrag } from './drag'
import { covered } from './ground'
import { basis, dragsOf, type Drag, type Pull } from './handleDrags'
import { where } from './navigate'
import { segment, polygon, leaves } from './outlines'

const aimed = (l: Light) => l.kind === 'spot' || l.kind === 'rect' || l.kind === 'disc'

type Projected = { x: number; y: number; depth: number; u: number; v: number }

interface HandleProps {
  id: string
  l: Light
  doc: Setup
  camera: Camera
  width: number
  height: number
  at: (p: V3) => Projected | null
  box: React.RefObject<SVGSVGElement | null>
  colour: string
}

/** Drawing is what the parts of a light's handles share. */
interface Drawing {
  l: Light
  camera: Camera
  at: HandleProps['at']
  /** The light's place in the picture. */
  c: Projected
  /** Where its aim is drawn, as far along it as reach. */
  spotAt: V3
  reach: number
  right: V3
  up: V3
  face: { right: V3; up: V3 }
  begin: (e: React.PointerEvent, drag: Drag) => void
}

const coneRadius = (reach: number, deg: number) => reach * Math.tan((Math.min(deg, 85) * Math.PI) / 180)

/** Handles of one chosen light: place, arms, aim, cone, size and range. */
export function Handles({ id, l, doc, camera, width, height, at, box, colour }: HandleProps) {
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
  // A metre here, in pixels.
  const perMetre = height / (2 * c.depth * Math.tan((camera.fovY * Math.PI) / 360))
  const reach = Math.min(Math.max(l.range > 0 ? l.range * 0.6 : 3, 1), 6)
  const spotAt = add(l.position, times(norm(l.aim), reach))
  const drags = dragsOf(l, camera, spotAt)
  const drawing: Drawing = { l, camera, at, c, spotAt, reach, ...axes(norm(l.aim), l.roll), face: axes(camera.aim, camera.roll), begin }
  return (
    <g className={`handles${behind ? ' behind' : ''}${locked ? ' locked' : ''}`} data-handles={id}>
      <Outline {...drawing} />
      <Arms {...drawing} perMetre={perMetre} along={drags.along} box={box} />
      <Grips {...drawing} perMetre={perMetre} drags={drags} inSight={(q) => q.x > -20 && q.y > -20 && q.x < width + 20 && q.y < height + 20} />
      <g className="grip centre" transform={`translate(${c.x} ${c.y})`} data-grip="position" onPointerDown={(e) => begin(e, drags.free)}>
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

/** ring is a circle about a place, in the plane of u and v. */
function ring(at: HandleProps['at'], centre: V3, r: number, u: V3, v: V3) {
  const pts = Array.from({ length: 49 }, (_, i) => at(add(centre, add(times(u, r * Math.cos((i * Math.PI) / 24)), times(v, r * Math.sin((i * Math.PI) / 24))))))
  return pts.every(Boolean) ? `M ${pts.map((q) => `${q?.x.toFixed(1)} ${q?.y.toFixed(1)}`).join(' L ')}` : ''
}

/** corners are those of a rectangular face. */
const corners = ({ l, at, right, up }: Drawing) =>
  [[1, 1], [-1, 1], [-1, -1], [1, -1]]
    .map(([a, b]) => at(add(l.position, add(times(right, ((a ?? 0) * l.width) / 2), times(up, ((b ?? 0) * l.height) / 2)))))
    .filter(Boolean)
    .map((q) => `${q?.x} ${q?.y}`)
    .join(' L ')

/** Outline is the light as it stands: aim, cones, doors, size and range. */
function Outline(d: Drawing) {
  const { l, at, c, spotAt, reach, right, up, face } = d
  const tip = at(spotAt)
  const half = (l.length ?? 0) / 2
  return (
    <>
      {aimed(l) && tip && <line className="aim" x1={c.x} y1={c.y} x2={tip.x} y2={tip.y} />}
      {l.kind === 'spot' && (
        <>
          <path className="cone" d={ring(at, spotAt, coneRadius(reach, l.outer), right, up)} />
          <path className="cone inner" d={ring(at, spotAt, coneRadius(reach, l.inner), right, up)} />
          {[right, times(right, -1), up, times(up, -1)].map((dir, i) => {
            const q = at(add(spotAt, times(dir, coneRadius(reach, l.outer))))
            return q ? <line key={i} className="cone" x1={c.x} y1={c.y} x2={q.x} y2={q.y} /> : null
          })}
        </>
      )}
      {l.doors && <path className="doors-drawn" d={leaves(l, right, up).map((f) => polygon(f, at)).join(' ')} />}
      {l.kind === 'line' || (l.kind === 'point' && l.length) ? <path className="size" d={segment(add(l.position, times(right, -half)), add(l.position, times(right, half)), at)} /> : null}
      {l.range > 0 && <path className="range" d={ring(at, l.position, l.range, face.right, face.up)} />}
      {l.kind === 'rect' && <path className="size" d={`M ${corners(d)} z`} />}
      {l.kind !== 'rect' && l.radius > 0 && <path className="size" d={l.kind === 'disc' ? ring(at, l.position, l.radius, right, up) : ring(at, l.position, l.radius, face.right, face.up)} />}
    </>
  )
}

const armPixels = 64 // an even length on the screen

/** Arms move the light along one direction each. */
function Arms({ l, camera, at, c, begin, perMetre, along, box }: Drawing & { perMetre: number; along: ReturnType<typeof dragsOf>['along']; box: HandleProps['box'] }) {
  const which = useLook((s) => s.axes)
  return basis(l, camera, which).map(({ name, dir }) => {
    const q = at(add(l.position, times(dir, armPixels / perMetre)))
    if (!q || Math.hypot(q.x - c.x, q.y - c.y) < 10) return null
    const k = 1 / Math.hypot(q.x - c.x, q.y - c.y)
    const nx = -(q.y - c.y) * k * 5
    const ny = (q.x - c.x) * k * 5
    const take = (e: React.PointerEvent) => {
      const p = box.current ? where(e, box.current) : { x: 0, y: 0 }
      begin(e, along(dir, name, nearestOnLine(l.position, dir, camera.eye, ray(camera, p.x, p.y))))
    }
    return (
      <g key={name} className="arm" data-grip={name} onPointerDown={take}>
        <line className="touch-line" x1={c.x} y1={c.y} x2={q.x} y2={q.y} />
        <line x1={c.x} y1={c.y} x2={q.x} y2={q.y} />
        <line className="bar" x1={q.x - nx} y1={q.y - ny} x2={q.x + nx} y2={q.y + ny} />
        <text x={q.x + (q.x - c.x) * k * 10} y={q.y + (q.y - c.y) * k * 10 + 4} textAnchor="middle">
          {name}
        </text>
      </g>
    )
  })
}

const square = 'M -4 -4 h 8 v 8 h -8 z'
const diamond = 'M 0 -6.500 L 6.500 0 L 0 6.500 L -6.500 0 z'
const wedge = 'M -5 -4 L 5 0 L -5 4 z'

/** Grips change a light's aim, cone, size and range. */
function Grips({ l, at, spotAt, reach, right, up, face, begin, perMetre, drags, inSight }: Drawing & { perMetre: number; drags: ReturnType<typeof dragsOf>; inSight: (q: Projected) => boolean }) {
  const grip = (p: V3, shape: string, drag: Drag, label: string) => {
    const q = at(p)
    return q && inSight(q) ? (
      <g className="grip" transform={`translate(${q.x} ${q.y})`} data-grip={label} onPointerDown={(e) => begin(e, drag)}>
        <title>{label}</title>
        <circle r={9} className="touch" />
        <path d={shape} />
      </g>
    ) : null
  }
  return (
    <>
      {l.kind === 'spot' && grip(add(spotAt, times(right, coneRadius(reach, l.outer))), wedge, drags.cone('outer'), 'outer cone')}
      {l.kind === 'spot' && l.inner > 0 && grip(add(spotAt, times(right, -coneRadius(reach, l.inner))), wedge, drags.cone('inner'), 'inner cone')}
      {l.range > 0 && grip(add(l.position, times(face.right, l.range)), square, drags.range, 'range')}
      {l.kind === 'rect' && grip(add(l.position, add(times(right, l.width / 2), times(up, l.height / 2))), square, drags.corner, 'size')}
      {l.kind === 'disc' && grip(add(l.position, times(right, l.radius)), square, drags.radius, 'size')}
      {(l.kind === 'point' || l.kind === 'spot') && grip(add(l.position, times(face.up, -Math.max(l.radius, 26 / perMetre))), square, drags.radius, 'size')}
      {aimed(l) && grip(spotAt, diamond, drags.aim, 'aim')}
    </>
  )
}
