import type { Light } from '../api.gen'
import { add, norm, times, type V3 } from '../kernel/camera'

/** Projected is where a place lies in the picture, in pixels. */
export type Projected = (p: V3) => { x: number; y: number } | null

/** segment is the path of a line between two places. */
export const segment = (a: V3, b: V3, at: Projected) => {
  const p = at(a)
  const q = at(b)
  return p && q ? `M ${p.x} ${p.y} L ${q.x} ${q.y}` : ''
}

/** polygon is the path round some places. */
export const polygon = (pts: V3[], at: Projected) => {
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
