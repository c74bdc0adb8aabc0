import type { Fog, FogBox } from '../api.gen'
import { draft, edit, hold, useSetup } from './store'
import type { V3 } from './camera'

/** marshFog is what is laid first: thin over the marsh, thinner above. */
export const marshFog: Fog = { visibility: 800, halves: 6, base: 0.5, begins: 0.5, most: 0.95, colour: [1, 1, 1], forward: 0.45 }

/** setFog changes parts of the setup's fog, laying it where there is none. */
export function setFog(part: Partial<Fog>, label: string, done: boolean | 'held' = true) {
  const f = useSetup.getState().kept?.fog ?? marshFog
  const ops = [{ op: 'add' as const, path: '/fog', value: { ...f, ...part } }]
  if (done === 'held') hold(label, ops)
  else if (done) edit(label, ops)
  else draft(ops)
}

/** halveFog lets one see twice as far. */
export function halveFog() {
  const f = useSetup.getState().doc?.fog
  if (!f) return
  const boxes = f.boxes && Object.fromEntries(Object.entries(f.boxes).map(([id, b]) => [id, { ...b, visibility: far(b.visibility * 2) }]))
  setFog({ visibility: far(f.visibility * 2), ...(boxes ? { boxes } : {}) }, `Fog halved: ${metres(far(f.visibility * 2))} to be seen`)
}

/** clearFog takes the fog away. */
export const clearFog = () => edit('Without fog', [{ op: 'remove', path: '/fog' }])

const far = (v: number) => Math.min(v, 1e6)

/** addBox adds a box of fog about a place, or a layer over all of it. */
export function addBox(middle: V3, layer: boolean) {
  const f = useSetup.getState().kept?.fog ?? marshFog
  let n = 1
  while (f.boxes?.[`box-${n}`]) n++
  const taken = new Set(Object.values(f.boxes ?? {}).map((b) => b.name))
  const word = layer ? 'Layer' : 'Box'
  let k = 1
  while (taken.has(k === 1 ? word : `${word} ${k}`)) k++
  const name = k === 1 ? word : `${word} ${k}`
  const place: V3 = layer ? [0, 0.4, 0] : (middle.map((v) => Math.round(v * 10) / 10) as V3)
  const box: FogBox = { name, order: n, position: place, size: layer ? [0, 0.8, 0] : [4, 2, 4], visibility: 40 }
  setFog({ boxes: { ...f.boxes, [`box-${n}`]: box } }, `${word} of fog added`)
}

/** setBox changes a box of fog. */
export function setBox(id: string, part: Partial<FogBox>, label: string, done: boolean | 'held' = true) {
  const boxes = useSetup.getState().kept?.fog?.boxes
  const b = boxes?.[id]
  if (b) setFog({ boxes: { ...boxes, [id]: { ...b, ...part } } }, `${b.name}: ${label}`, done)
}

/** removeBox takes a box of fog away. */
export function removeBox(id: string) {
  const boxes = { ...useSetup.getState().kept?.fog?.boxes }
  const b = boxes[id]
  if (!b) return
  delete boxes[id]
  setFog({ boxes }, `${b.name} removed`)
}

/** metres tells a length with as many digits as it needs. */
export const metres = (v: number) => `${v >= 100 ? Math.round(v) : v >= 10 ? Math.round(v * 10) / 10 : Math.round(v * 100) / 100} m`

/** thinned is the share of the fog's density at a height over its base's. */
export const thinned = (f: Fog, height: number) => (f.halves > 0 ? 2 ** (-Math.max(height - f.base, 0) / f.halves) : 1)
