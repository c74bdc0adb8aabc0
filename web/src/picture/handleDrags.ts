import type { Light } from '../api.gen'
import { add, axes, cross, dot, len, nearestOnLine, norm, onPlane, ray, sub, times, type Camera, type V3 } from '../kernel/camera'
import type { Axes } from '../kernel/look'
import { tidy } from '../kernel/number'
import { under } from './ground'
import { held } from './navigate'

/** Pull is a change that a hand makes to a light, and its words. */
export interface Pull {
  changes: Partial<Light>
  words: string
  shift?: V3
}

/** Drag is what a hand at a picture position makes of a light, or null where it can mean nothing. */
export type Drag = (p: { x: number; y: number }) => Pull | null

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

/** dragsOf are the drags of a light's handles; spotAt is where its aim is drawn. */
export function dragsOf(l: Light, camera: Camera, spotAt: V3) {
  const aim = norm(l.aim)
  const { right, up } = axes(aim, l.roll)
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
  const aimAt: Drag = (p) => {
    const to = under(camera, p.x, p.y)?.position ?? onPlane(spotAt, norm(camera.aim), camera.eye, ray(camera, p.x, p.y))
    if (!to || len(sub(to, l.position)) < 0.02) return null
    return { changes: { aim: norm(sub(to, l.position)) }, words: 'aimed' }
  }
  const flatAt = (p: { x: number; y: number }) => onPlane(l.position, norm(camera.aim), camera.eye, ray(camera, p.x, p.y))
  const range: Drag = (p) => {
    const q = flatAt(p)
    const r = q && Math.round(Math.max(len(sub(q, l.position)), 0.1) * 100) / 100
    return r ? { changes: { range: r }, words: `range ${tidy(r)} m` } : null
  }
  const radius: Drag = (p) => {
    const q = flatAt(p)
    if (!q) return null
    const r = Math.round(Math.min(Math.max(len(sub(q, l.position)), l.kind === 'disc' ? 0.01 : 0), 20) * 1000) / 1000
    return { changes: { radius: r }, words: `radius ${tidy(r)} m` }
  }
  const cone = (which: 'inner' | 'outer'): Drag => (p) => {
    const q = onPlane(spotAt, aim, camera.eye, ray(camera, p.x, p.y)) ?? flatAt(p)
    if (!q) return null
    const d = sub(q, l.position)
    const a = Math.round(((Math.atan2(len(sub(d, times(aim, dot(d, aim)))), Math.max(dot(d, aim), 1e-3)) * 180) / Math.PI) * 10) / 10
    if (which === 'inner') return { changes: { inner: Math.min(Math.max(a, 0), l.outer) }, words: `inner cone ${tidy(Math.min(a, l.outer))}°` }
    const outer = Math.min(Math.max(a, 0.5), 89)
    return { changes: { outer, inner: Math.min(l.inner, outer) }, words: `outer cone ${tidy(outer)}°` }
  }
  const corner: Drag = (p) => {
    const q = onPlane(l.position, aim, camera.eye, ray(camera, p.x, p.y)) ?? flatAt(p)
    if (!q) return null
    const d = sub(q, l.position)
    const w = Math.round(Math.max(2 * Math.abs(dot(d, right)), 0.02) * 100) / 100
    const h = Math.round(Math.max(2 * Math.abs(dot(d, up)), 0.02) * 100) / 100
    return { changes: { width: w, height: h }, words: `${tidy(w)} × ${tidy(h)} m` }
  }
  return { free, along, aim: aimAt, range, radius, cone, corner }
}
