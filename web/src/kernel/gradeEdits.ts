import type { Grade } from '../api.gen'
import { neutralGrade } from './grade'
import { draft, edit, hold, useSetup } from './store'
import { luminance, type RGB } from './sums'

/** setGrade changes parts of the setup's grade, which is neutral where there is none. */
export function setGrade(part: Partial<Grade>, label: string, done: boolean | 'held') {
  const g = useSetup.getState().kept?.grade ?? neutralGrade
  const ops = [{ op: 'add' as const, path: '/grade', value: { ...g, ...part } }]
  if (done === 'held') hold(label, ops)
  else if (done) edit(label, ops)
  else draft(ops)
}

/** neutralHere lets a colour of the picture be neutral. */
export function neutralHere(c: RGB) {
  const y = luminance(c)
  setGrade({ white: c.map((v) => Math.round((Math.max(v, 1e-6 * y) / y) * 1e5) / 1e5) as RGB }, 'A neutral picked', true)
}
