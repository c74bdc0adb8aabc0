import type { Grade } from '../../api.gen'
import { setGrade } from '../../kernel/gradeEdits'

/** Range is a part of the tones that has a number for each primary. */
export type Range = 'lift' | 'gamma' | 'gain'

/** rangeOf is a range of a grade as one number: that of green. */
export const rangeOf = (g: Grade, range: Range) => g[range][1]

/** setRange moves all three primaries of a range by as much. */
export function setRange(g: Grade, range: Range, v: number, label: string, done: boolean | 'held') {
  const by = range === 'lift' ? v - rangeOf(g, range) : rangeOf(g, range) > 0 ? v / rangeOf(g, range) : 1
  const next = g[range].map((x) => Math.round((range === 'lift' ? x + by : rangeOf(g, range) > 0 ? x * by : v) * 1e4) / 1e4) as [number, number, number]
  setGrade({ [range]: next }, label, done)
}

/** setPrimary gives one primary of a range its own number. */
export function setPrimary(g: Grade, range: Range, k: number, v: number, label: string, done: boolean) {
  setGrade({ [range]: g[range].map((x, i) => (i === k ? v : x)) as [number, number, number] }, label, done)
}
