import type { View } from '../api.gen'

/** The geometry of cameras: where a place appears, and how a hand moves the eye. No light is worked out here. */

export type V3 = [number, number, number]

export const add = (a: V3, b: V3): V3 => [a[0] + b[0], a[1] + b[1], a[2] + b[2]]
export const sub = (a: V3, b: V3): V3 => [a[0] - b[0], a[1] - b[1], a[2] - b[2]]
export const times = (a: V3, k: number): V3 => [a[0] * k, a[1] * k, a[2] * k]
export const dot = (a: V3, b: V3) => a[0] * b[0] + a[1] * b[1] + a[2] * b[2]
export const cross = (a: V3, b: V3): V3 => [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]]
export const len = (a: V3) => Math.hypot(...a)
export const norm = (a: V3): V3 => (len(a) > 0 ? times(a, 1 / len(a)) : a)

/** turned rotates v about a unit axis by an angle in radians (Rodrigues). */
export function turned(v: V3, axis: V3, angle: number): V3 {
  const c = Math.cos(angle)
  const s = Math.sin(angle)
  return add(add(times(v, c), times(cross(axis, v), s)), times(axis, dot(axis, v) * (1 - c)))
}

/** axes are right and up of something that points along aim, rolled by degrees; the same as the core's. */
export function axes(aim: V3, roll: number): { right: V3; up: V3 } {
  const f = norm(aim)
  const world: V3 = Math.abs(f[1]) > 0.999 ? [0, 0, -1] : [0, 1, 0]
  const u = norm(cross(f, world))
  const v = cross(u, f)
  const c = Math.cos((roll * Math.PI) / 180)
  const s = Math.sin((roll * Math.PI) / 180)
  return { right: add(times(u, c), times(v, s)), up: sub(times(v, c), times(u, s)) }
}

export type Camera = View

/** project gives a place's picture position, 0 to 1 from the top left, and its depth along the aim; null behind the eye. */
export function project(c: Camera, p: V3): { x: number; y: number; depth: number } | null {
  const f = norm(c.aim)
  const { right, up } = axes(f, c.roll)
  const d = sub(p, c.eye)
  const z = dot(d, f)
  if (z <= 1e-4) return null
  const t = Math.tan((c.fovY * Math.PI) / 360)
  return { x: 0.5 + dot(d, right) / (z * t * c.aspect * 2), y: 0.5 - dot(d, up) / (z * t * 2), depth: z }
}

/** ray is the unit direction through a picture position. */
export function ray(c: Camera, x: number, y: number): V3 {
  const f = norm(c.aim)
  const { right, up } = axes(f, c.roll)
  const t = Math.tan((c.fovY * Math.PI) / 360)
  return norm(add(add(f, times(right, (2 * x - 1) * t * c.aspect)), times(up, (1 - 2 * y) * t)))
}

const steep = Math.sin((88 * Math.PI) / 180)

/** upright refuses directions so near the vertical that right and left would flip. */
const upright = (aim: V3) => Math.abs(aim[1]) < steep

/** orbit turns the eye about a place by angles in radians: round the vertical, then over it. */
export function orbit(c: Camera, about: V3, round: number, over: number): Camera {
  const spin = (v: V3, a: number, b: number): V3 => {
    const w = turned(v, [0, 1, 0], a)
    return turned(w, axes(turned(norm(c.aim), [0, 1, 0], a), 0).right, b)
  }
  const tilt = upright(spin(norm(c.aim), round, over)) ? over : 0
  return { ...c, eye: add(about, spin(sub(c.eye, about), round, tilt)), aim: norm(spin(c.aim, round, tilt)) }
}

/** look turns the eye where it stands. */
export function look(c: Camera, round: number, over: number): Camera {
  const w = turned(norm(c.aim), [0, 1, 0], round)
  const aim = turned(w, axes(w, 0).right, over)
  return { ...c, aim: norm(upright(aim) ? aim : w) }
}

/** pan slides the eye so that what lies at a distance follows the pointer: dx and dy in shares of the picture. */
export function pan(c: Camera, distance: number, dx: number, dy: number): Camera {
  const { right, up } = axes(c.aim, c.roll)
  const h = 2 * distance * Math.tan((c.fovY * Math.PI) / 360)
  return { ...c, eye: add(c.eye, add(times(right, -dx * h * c.aspect), times(up, dy * h))) }
}

/** dolly goes towards a place: share 0.1 covers a tenth of the way; never through it. */
export function dolly(c: Camera, towards: V3, share: number): Camera {
  return { ...c, eye: add(c.eye, times(sub(towards, c.eye), Math.min(share, 0.9))) }
}

/** walk goes forward, sideways and up by metres, level with the ground. */
export function walk(c: Camera, forward: number, right: number, up: number): Camera {
  const f = norm([c.aim[0], 0, c.aim[2]])
  return { ...c, eye: add(c.eye, add(add(times(f, forward), times(axes(f, 0).right, right)), [0, up, 0])) }
}

/** framed moves the eye along its aim until a ball fits the picture with some air. */
export function framed(c: Camera, centre: V3, radius: number): Camera {
  const half = (c.fovY * Math.PI) / 360
  const narrow = Math.min(half, Math.atan(Math.tan(half) * c.aspect))
  const d = (1.25 * Math.max(radius, 0.05)) / Math.sin(narrow)
  return { ...c, eye: sub(centre, times(norm(c.aim), d)) }
}

/** A focal length is that of a frame 36 mm by 24 mm, 24 mm high. */
export const lens = (fovY: number) => 12 / Math.tan((fovY * Math.PI) / 360)
export const angle = (mm: number) => (360 / Math.PI) * Math.atan(12 / mm)

export const aspects: [string, number][] = [
  ['16:9', 16 / 9],
  ['21:9', 21 / 9],
  ['2.39:1', 2.39],
  ['1.85:1', 1.85],
  ['3:2', 1.5],
  ['4:3', 4 / 3],
  ['1:1', 1],
  ['4:5', 0.8],
  ['9:16', 9 / 16],
]

export const aspectName = (a: number) => aspects.find(([, v]) => Math.abs(a - v) < 0.004)?.[0] ?? `${a.toFixed(2)}:1`

/** nearestOnLine is the parameter t of the point o + t d nearest to a ray. */
export function nearestOnLine(o: V3, d: V3, eye: V3, dir: V3): number {
  const r = sub(o, eye)
  const b = dot(d, dir)
  const k = dot(d, d) - b * b
  if (Math.abs(k) < 1e-9) return 0
  return (b * dot(dir, r) - dot(d, r)) / k
}

/** onPlane is where a ray meets the plane through o with normal n, or null. */
export function onPlane(o: V3, n: V3, eye: V3, dir: V3): V3 | null {
  const k = dot(n, dir)
  if (Math.abs(k) < 1e-6) return null
  const t = dot(n, sub(o, eye)) / k
  return t > 0 ? add(eye, times(dir, t)) : null
}

const degree = Math.PI / 180

/** angles of a direction in degrees: turned from north (away along z) towards east (along x), and raised from level. */
export function angles(v: readonly number[]): { turn: number; rise: number } {
  const d = norm([v[0] ?? 0, v[1] ?? 0, v[2] ?? 0])
  return { turn: Math.hypot(d[0], d[2]) < 1e-9 ? 0 : Math.atan2(d[0], -d[2]) / degree, rise: Math.asin(Math.min(Math.max(d[1], -1), 1)) / degree }
}

/** aimed is the unit direction of such angles. */
export function aimed(turn: number, rise: number): V3 {
  const [t, r] = [turn * degree, Math.min(Math.max(rise, -90), 90) * degree]
  return [Math.sin(t) * Math.cos(r), Math.sin(r), -Math.cos(t) * Math.cos(r)]
}

/** pinched is the eye after two fingers have spread by a factor about a place, and moved by a share of the picture. */
export function pinched(c: Camera, pivot: V3, spread: number, dx: number, dy: number): Camera {
  const near = dolly(c, pivot, 1 - 1 / Math.max(spread, 0.02))
  return pan(near, Math.max(len(sub(pivot, near.eye)), 0.1), dx, dy)
}
