import type { Grade } from '../api.gen'
import { bends, flat } from './curves'
import { luminance, type RGB } from './sums'

/** A grade as Go's grade package has it; a browser test holds the two together. */
type Matrix = [RGB, RGB, RGB]

/** neutralGrade leaves everything as it is. */
export const neutralGrade: Grade = { contrast: 1, saturation: 1, lift: [0, 0, 0], gamma: [1, 1, 1], gain: [1, 1, 1] }

const times = (m: Matrix, n: Matrix): Matrix => [0, 1, 2].map((i) => [0, 1, 2].map((j) => [0, 1, 2].reduce((a, k) => a + (m[i]?.[k] ?? 0) * (n[k]?.[j] ?? 0), 0))) as Matrix
const of = (m: Matrix, c: readonly number[]): RGB => m.map((r) => r[0] * (c[0] ?? 0) + r[1] * (c[1] ?? 0) + r[2] * (c[2] ?? 0)) as RGB

function inverse(m: Matrix): Matrix {
  const at = (i: number, j: number) => m[(i + 3) % 3]?.[(j + 3) % 3] ?? 0
  const cofactor = (i: number, j: number) => at(i + 1, j + 1) * at(i + 2, j + 2) - at(i + 1, j + 2) * at(i + 2, j + 1)
  const det = at(0, 0) * cofactor(0, 0) + at(0, 1) * cofactor(0, 1) + at(0, 2) * cofactor(0, 2)
  return [0, 1, 2].map((i) => [0, 1, 2].map((j) => cofactor(j, i) / det)) as Matrix
}

/** cones is the Bradford transform of linear Rec. 709. */
const cones = times(
  [
    [0.8951, 0.2664, -0.1614],
    [-0.7502, 1.7135, 0.0367],
    [0.0389, -0.0685, 1.0296],
  ],
  [
    [0.4124564, 0.3575761, 0.1804375],
    [0.2126729, 0.7151522, 0.072175],
    [0.0193339, 0.119192, 0.9503041],
  ],
)
const primaries = inverse(cones)

/** balance takes a linear colour that is lit by white to what neutral light of the same luminance would make of it. */
export function balance(white: readonly number[]): Matrix {
  const y = luminance(white as RGB)
  const from = of(cones, white.map((v) => v / y))
  const to = of(cones, [1, 1, 1])
  return times(primaries, cones.map((r, i) => r.map((v) => (v * (to[i] ?? 1)) / (from[i] ?? 1))) as Matrix)
}

/** hueRanges are the ranges of hue in their order, as in Go; hueMiddles their middles in Oklab, degrees. */
export const hueRanges = ['reds', 'yellows', 'greens', 'cyans', 'blues', 'magentas'] as const
export const hueMiddles = [29.233886, 109.769232, 142.495339, 194.76895, 264.052021, 328.363419]

/** GradeProgram is a grade as the graphics processor takes it; the matrix by columns. */
export interface GradeProgram {
  balance: number[]
  lift: number[]
  gain: number[]
  bend: number[]
  saturation: number
  /** Turn in degrees and saturation of the six ranges of hue; null for none. */
  hues: Float32Array | null
  /** The curves of the three primaries, in steps; null for none. */
  curves: Float32Array | null
  vignette: number
  grain: number
  /** How much light is taken out of corners, and within how many metres they are looked for. */
  corners: number
  cornerReach: number
  bloom: number
  /** Where it begins, as exposed luminance. */
  bloomFrom: number
  /** The table that what is shown goes through last, by its hash, and how far it holds. */
  table: string
  amount: number
}

/** programOf makes a grade ready; null leaves everything. */
export function programOf(g: Grade | undefined): GradeProgram | null {
  if (!g) return null
  const m: Matrix = g.white ? balance(g.white) : [[1, 0, 0], [0, 1, 0], [0, 0, 1]]
  return { balance: [0, 1, 2].flatMap((j) => [0, 1, 2].map((i) => m[i]?.[j] ?? 0)), lift: g.lift, gain: g.gain, bend: g.gamma.map((v) => g.contrast / v), saturation: g.saturation, hues: g.hues ? Float32Array.from(g.hues.flatMap((h) => [h.turn, h.saturation])) : null, curves: g.curves && !flat(g.curves) ? bends(g.curves) : null, vignette: g.vignette ?? 0, grain: g.grain ?? 0, corners: g.corners ?? 0, cornerReach: g.cornerReach || 0.5, bloom: g.bloom ?? 0, bloomFrom: 0.18 * 2 ** (g.bloomFrom ?? 0), table: g.table?.blob ?? '', amount: g.table?.amount ?? 0 }
}
