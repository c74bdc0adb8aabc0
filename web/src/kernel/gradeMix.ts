import type { Curves, Grade, Table } from '../api.gen'
import type { Point } from './curves'
import { hueRanges, neutralGrade } from './grade'

type Points = [number, number][]
type Three = [number, number, number]

/** mixGrades is what lies between two grades, as Go's grade package has it; a file holds the two together. */
export function mixGrades(a: Grade | undefined, b: Grade | undefined, share: number): Grade | undefined {
  if (share <= 0 || (!a && !b)) return a
  if (share >= 1) return b
  const p = a ?? neutralGrade
  const q = b ?? neutralGrade
  const even = (x: number, y: number) => x + share * (y - x)
  const three = (x: readonly number[], y: readonly number[], of = even) => [0, 1, 2].map((k) => of(x[k] ?? 0, y[k] ?? 0)) as Three
  const one: Three = [1, 1, 1]
  const out: Grade = { ...p, contrast: even(p.contrast, q.contrast), saturation: even(p.saturation, q.saturation), lift: three(p.lift, q.lift), gamma: three(p.gamma, q.gamma), gain: three(p.gain, q.gain) }
  if (p.white || q.white) out.white = three(p.white ?? one, q.white ?? one, (x, y) => 2 ** ((1 - share) * Math.log2(x) + share * Math.log2(y)))
  out.vignette = even(p.vignette ?? 0, q.vignette ?? 0)
  out.grain = even(p.grain ?? 0, q.grain ?? 0)
  out.bloom = even(p.bloom ?? 0, q.bloom ?? 0)
  out.corners = even(p.corners ?? 0, q.corners ?? 0)
  out.cornerReach = !p.corners ? (q.cornerReach ?? 0) : !q.corners ? (p.cornerReach ?? 0) : even(p.cornerReach || 0.5, q.cornerReach || 0.5)
  out.bloomFrom = !p.bloom ? (q.bloomFrom ?? 0) : !q.bloom ? (p.bloomFrom ?? 0) : even(p.bloomFrom ?? 0, q.bloomFrom ?? 0)
  if (p.hues || q.hues) {
    const plain = { turn: 0, saturation: 1 }
    out.hues = hueRanges.map((_, i) => {
      const [x, y] = [p.hues?.[i] ?? plain, q.hues?.[i] ?? plain]
      return { turn: even(x.turn, y.turn), saturation: even(x.saturation, y.saturation) }
    }) as Grade['hues']
  }
  if (p.curves || q.curves) out.curves = mixCurves(p.curves ?? {}, q.curves ?? {}, share)
  out.table = mixTables(p.table, q.table, share)
  if (!out.table) delete out.table
  return out
}

function mixCurves(a: Curves, b: Curves, share: number): Curves {
  const out: Curves = {}
  for (const k of ['all', 'red', 'green', 'blue'] as const) {
    const c = mixCurve(a[k] as Points | undefined, b[k] as Points | undefined, share)
    if (c) out[k] = c
  }
  return out
}

function mixCurve(a: Points | undefined, b: Points | undefined, share: number): Points | undefined {
  const towards = (from: Points, to: (p: Point, i: number) => Point, s: number) => from.map((p, i): [number, number] => [p[0] + s * (to(p, i)[0] - p[0]), p[1] + s * (to(p, i)[1] - p[1])])
  const line = (p: Point): Point => [p[0], p[0]]
  if (!a && !b) return undefined
  if (!a) return towards(b as Points, line, 1 - share)
  if (!b) return towards(a, line, share)
  if (a.length === b.length) return towards(a, (_, i) => b[i] as Point, share)
  return share < 0.5 ? a : b
}

function mixTables(a: Table | undefined, b: Table | undefined, share: number): Table | undefined {
  if (!a) return b && { ...b, amount: b.amount * share }
  if (!b) return { ...a, amount: a.amount * (1 - share) }
  if (a.blob === b.blob) return { ...a, amount: a.amount + share * (b.amount - a.amount) }
  return share < 0.5 ? a : b
}
