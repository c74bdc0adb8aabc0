import type { LampFact, Light } from '../api.gen'
import type { V3 } from './camera'
import { lampsNow, useSetup } from './store'

/** Lights of a rig travel with its node: the document has them as they stand while it rests. */

type Frame = NonNullable<LampFact['frame']>

const frameOf = (id: string): Frame | undefined => lampsNow(useSetup.getState())[id]?.frame

const row = (m: Frame, r: number): V3 => [m[4 * r] ?? 0, m[4 * r + 1] ?? 0, m[4 * r + 2] ?? 0]
const dot = (a: V3, b: V3) => a[0] * b[0] + a[1] * b[1] + a[2] * b[2]

export const turned = (m: Frame, v: V3): V3 => [dot(row(m, 0), v), dot(row(m, 1), v), dot(row(m, 2), v)]
export const carried = (m: Frame, p: V3): V3 => turned(m, p).map((v, k) => v + (m[4 * k + 3] ?? 0)) as V3

/** back is the inverse of carried: nodes are turned and shifted, seldom scaled. */
export function back(m: Frame, p: V3): V3 {
  return unturned(m, p.map((v, k) => v - (m[4 * k + 3] ?? 0)) as V3)
}

export function unturned(m: Frame, v: V3): V3 {
  const [a, b, c] = [row(m, 0), row(m, 1), row(m, 2)]
  const cross = (p: V3, q: V3): V3 => [p[1] * q[2] - p[2] * q[1], p[2] * q[0] - p[0] * q[2], p[0] * q[1] - p[1] * q[0]]
  const d = dot(a, cross(b, c)) || 1
  const x = cross(b, c)
  const y = cross(c, a)
  const z = cross(a, b)
  return [0, 1, 2].map((k) => ((x[k] ?? 0) * v[0] + (y[k] ?? 0) * v[1] + (z[k] ?? 0) * v[2]) / d) as V3
}

/** standing is a light where it stands in the world now. */
export function standing(id: string, l: Light): Light {
  const m = frameOf(id)
  return m ? { ...l, position: carried(m, l.position), aim: turned(m, l.aim) } : l
}

/** resting turns a place and an aim in the world into those of the document. */
export function resting(id: string, changes: Partial<Light>): Partial<Light> {
  const m = frameOf(id)
  if (!m) return changes
  const fine = (v: V3, k: number) => v.map((x) => Math.round(x / k) * k) as V3
  return { ...changes, ...(changes.position ? { position: fine(back(m, changes.position), 0.001) } : {}), ...(changes.aim ? { aim: fine(unturned(m, changes.aim), 1e-5) } : {}) }
}

/** rested is a place in the world as the document has it for this light. */
export const rested = (id: string, p: V3): V3 => {
  const m = frameOf(id)
  return m ? back(m, p) : p
}
