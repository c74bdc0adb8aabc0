import type { Bake, Box, Mirror, Probe } from '../../api.gen'
import type { V3 } from '../../kernel/camera'
import { draft, edit, hold, useSetup } from '../../kernel/store'

/** standard is how a setup that says nothing of it is baked. */
export const standard: Bake = { density: 12, seen: true, page: 1024, padding: 2, format: 'bc6h', skyBounces: 0, bounds: {}, apart: 1.5, heights: [0.5, 1.2, 1.8], fill: {}, probes: {}, mirrors: {} }

/** setBake changes parts of how the setup is baked. */
export function setBake(part: Partial<Bake>, label: string, done: boolean | 'held' = true) {
  const b = useSetup.getState().kept?.bake ?? standard
  const ops = [{ op: 'add' as const, path: '/bake', value: { ...b, ...part } }]
  if (done === 'held') hold(label, ops)
  else if (done) edit(label, ops)
  else draft(ops)
}

const now = () => useSetup.getState().kept?.bake ?? standard

const free = (has: Record<string, unknown>, word: string) => {
  let n = 1
  while (has[`${word}-${n}`]) n++
  return n
}

/** before is a place a few metres before the eye. */
export function before(metres: number): V3 {
  const s = useSetup.getState()
  const v = s.doc?.views[s.view]
  return v ? ([0, 1, 2].map((k) => Math.round(((v.eye[k] ?? 0) + metres * (v.aim[k] ?? 0)) * 100) / 100) as V3) : [0, 1, 0]
}

/** addBox adds a box to the boxes that are filled with probes, or to the bounds of the bake. */
export function addBox(which: 'fill' | 'bounds') {
  const has = now()[which]
  const n = free(has, 'box')
  const box: Box = { name: which === 'fill' ? `Fill box ${n}` : `Bounds ${n}`, position: before(4), size: which === 'fill' ? [3, 3, 3] : [12, 6, 12] }
  setBake({ [which]: { ...has, [`box-${n}`]: box } }, `${box.name} added`)
}

/** setBox changes a box, removeEntry takes an entry of a list away. */
export function setBox(which: 'fill' | 'bounds', id: string, part: Partial<Box>, label: string, done: boolean | 'held' = true) {
  const has = now()[which]
  const b = has[id]
  if (b) setBake({ [which]: { ...has, [id]: { ...b, ...part } } }, `${b.name}: ${label}`, done)
}

export function removeEntry(which: 'fill' | 'bounds' | 'probes' | 'mirrors', id: string) {
  const has: Record<string, { name: string }> = { ...now()[which] }
  const name = has[id]?.name
  if (!name) return
  delete has[id]
  setBake({ [which]: has } as Partial<Bake>, `${name} removed`)
}

/** addProbe sets a probe where the ball is, or before the eye. */
export function addProbe(at: V3) {
  const has = now().probes
  const n = free(has, 'probe')
  const p: Probe = { name: `Probe ${n}`, position: at }
  setBake({ probes: { ...has, [`probe-${n}`]: p } }, `${p.name} set`)
}

/** addMirror adds a reflection probe before the eye. */
export function addMirror() {
  const has = now().mirrors
  const n = free(has, 'mirror')
  const at = before(3)
  const m: Mirror = { name: `Reflection probe ${n}`, position: at, middle: at, size: [8, 4, 8], sphere: false, pixels: 64 }
  setBake({ mirrors: { ...has, [`mirror-${n}`]: m } }, `${m.name} added`)
}

export function setMirror(id: string, part: Partial<Mirror>, label: string, done: boolean | 'held' = true) {
  const has = now().mirrors
  const m = has[id]
  if (m) setBake({ mirrors: { ...has, [id]: { ...m, ...part } } }, `${m.name}: ${label}`, done)
}
