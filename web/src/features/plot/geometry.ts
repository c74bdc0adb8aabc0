import type { Light, Plot, Stand } from '../../api.gen'
import { norm, sub, type V3 } from '../../kernel/camera'

/** Where things are in a plot: right of the camera's line, away from the camera, and up, from the subject's eyes. */
export interface Spot {
  side: number
  away: number
  up: number
}

const rad = Math.PI / 180

/** spotOf is where a place in the world lies in the plot. */
export function spotOf(p: Plot, at: V3): Spot {
  const s = Math.sin(p.facing * rad)
  const c = Math.cos(p.facing * rad)
  const [x, y, z] = sub(at, p.pivot)
  return { side: x * c - z * s, away: -x * s - z * c, up: y }
}

/** placeOf is the place in the world of a spot. */
export function placeOf(p: Plot, q: Spot): V3 {
  const s = Math.sin(p.facing * rad)
  const c = Math.cos(p.facing * rad)
  return [p.pivot[0] + q.side * c - q.away * s, p.pivot[1] + q.up, p.pivot[2] - q.side * s - q.away * c]
}

/** round is the spot at an azimuth and height in degrees and a distance. */
export function round(azimuth: number, height: number, distance: number): Spot {
  const flat = distance * Math.cos(height * rad)
  return { side: flat * Math.sin(azimuth * rad), away: -flat * Math.cos(azimuth * rad), up: distance * Math.sin(height * rad) }
}

/** moved are the values of a light that stands at another spot: what was aimed at the subject still is. */
export function moved(p: Plot, l: Light, stand: Stand, to: Spot): Partial<Light> {
  const fine = (v: V3, k: number) => v.map((x) => Math.round(x / k) * k) as V3
  if (stand.far) return { aim: fine(norm(sub(p.pivot, placeOf(p, to))), 1e-5) }
  const position = fine(placeOf(p, to), 0.001)
  return stand.aimed && l.kind !== 'point' ? { position, aim: fine(norm(sub(p.pivot, position)), 1e-5) } : { position }
}

/** rings are the distances at which a light would give so many stops more or less than where it is. */
export const rings = (distance: number) => [-2, -1, 0, 1, 2].map((stops) => ({ stops, r: distance * 2 ** (-stops / 2) }))

/** ratioStops is what has to be added to the second part's stops for a ratio to become times. */
export const ratioStops = (name: string, now: number, times: number) => (name === 'lighting ratio' ? Math.log2((now - 1) / (times - 1)) : Math.log2(now / times))
