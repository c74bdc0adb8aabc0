import type { Thing, View } from '../api.gen'
import { draft, edit, hold, type Op } from './store'

/** The height of the picture behind the lens, in metres, and the aperture of a view that tells none: as in Go. */
const sensor = 0.024
const standardAperture = 2.8

/** LensProgram is a view's lens as the picture takes it. */
export interface LensProgram {
  /** Radius of what a point without end becomes, as a share of the height; 0: all is sharp. */
  blur: number
  focus: number
  fovY: number
}

/** focusOf is the distance along a view's axis that is sharp: that of the middle of what it follows, where that is there. */
export function focusOf(v: View, things: readonly Thing[]): number {
  const own = v.focus ?? 0
  if (!v.focusOn) return own
  const lo = [Infinity, Infinity, Infinity]
  const hi = [-Infinity, -Infinity, -Infinity]
  for (const t of things) {
    if (t.path !== v.focusOn && !t.path.startsWith(`${v.focusOn}/`)) continue
    for (let k = 0; k < 3; k++) {
      lo[k] = Math.min(lo[k] as number, t.lo[k] ?? 0)
      hi[k] = Math.max(hi[k] as number, t.hi[k] ?? 0)
    }
  }
  if ((lo[0] as number) > (hi[0] as number)) return own
  const long = Math.hypot(...v.aim)
  const d = lo.reduce((a, l, k) => a + ((l + (hi[k] as number)) / 2 - (v.eye[k] ?? 0)) * ((v.aim[k] ?? 0) / long), 0)
  return d > 0.01 ? d : own
}

/** lensOf is a view's lens. */
export function lensOf(v: View, things: readonly Thing[]): LensProgram {
  const fovY = (v.fovY * Math.PI) / 180
  const focus = focusOf(v, things)
  if (focus <= 0) return { blur: 0, focus: 0, fovY }
  const f = sensor / 2 / Math.tan(fovY / 2)
  return { blur: (f * f) / (v.aperture || standardAperture) / Math.max(focus - f, 1e-3) / 2 / sensor, focus, fovY }
}

/** lensNumbers are those of a saved view that an eye on its own way keeps. */
export const lensNumbers = (v: View | undefined): Partial<View> => ({ focus: v?.focus, focusOn: v?.focusOn, aperture: v?.aperture })

/** setFocus focuses a view at a distance; 0: all is sharp. */
export function setFocus(id: string, v: View, metres: number, done: boolean | 'held') {
  const ops: Op[] = [{ op: 'add', path: `/views/${id}/focus`, value: Math.round(metres * 1000) / 1000 }]
  if (v.focusOn) ops.push({ op: 'remove', path: `/views/${id}/focusOn` })
  const label = metres > 0 ? `${v.name} focused at ${metres.toFixed(2)} m` : `All of ${v.name} sharp`
  if (done === 'held') hold(label, ops)
  else if (done) edit(label, ops)
  else draft(ops)
}

/** followWith focuses a view on an object, wherever it stands. */
export function followWith(id: string, v: View, path: string) {
  edit(path ? `${v.name} focused on ${path}` : `${v.name} follows nothing`, [path ? { op: 'add', path: `/views/${id}/focusOn`, value: path } : { op: 'remove', path: `/views/${id}/focusOn` }])
}
