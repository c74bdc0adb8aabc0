import type { Curves } from '../api.gen'

/** Curves as Go's grade package has them; a browser test holds the two together. */
export type Point = readonly [number, number]

/** Into how many steps a curve is cut. */
export const bendSteps = 1024

/** slope is that of the curve at a point: the harmonic mean of those beside it, by the widths. */
function slope(points: readonly Point[], i: number): number {
  const secant = (j: number) => {
    const [a, b] = [points[j] as Point, points[j + 1] as Point]
    return { h: b[0] - a[0], d: (b[1] - a[1]) / (b[0] - a[0]) }
  }
  if (i === 0) return secant(0).d
  const before = secant(i - 1)
  if (i === points.length - 1) return before.d
  const after = secant(i)
  if (before.d * after.d <= 0) return 0
  const a = (1 + after.h / (before.h + after.h)) / 3
  return (before.d * after.d) / (a * after.d + (1 - a) * before.d)
}

/** through is the curve through points at x; without points it changes nothing. */
export function through(points: readonly Point[] | undefined, x: number): number {
  const [first, last] = [points?.[0], points?.at(-1)]
  if (!points || !first || !last) return x
  if (x <= first[0]) return first[1]
  if (x >= last[0]) return last[1]
  let i = 0
  while ((points[i + 1] as Point)[0] < x) i++
  const [p, q] = [points[i] as Point, points[i + 1] as Point]
  const h = q[0] - p[0]
  const t = (x - p[0]) / h
  return (2 * t ** 3 - 3 * t ** 2 + 1) * p[1] + (t ** 3 - 2 * t ** 2 + t) * h * slope(points, i) + (3 * t ** 2 - 2 * t ** 3) * q[1] + (t ** 3 - t ** 2) * h * slope(points, i + 1)
}

/** flat tells curves that change nothing. */
export const flat = (c: Curves) => !c.all && !c.red && !c.green && !c.blue

const made = new WeakMap<Curves, Float32Array>()

/** bends are the curves of the three primaries, those of all included, four numbers a step. */
export function bends(c: Curves): Float32Array {
  const kept = made.get(c)
  if (kept) return kept
  const out = new Float32Array(4 * (bendSteps + 1))
  for (let i = 0; i <= bendSteps; i++) {
    const v = through(c.all, i / bendSteps)
    out.set([through(c.red, v), through(c.green, v), through(c.blue, v), 1], 4 * i)
  }
  made.set(c, out)
  return out
}
