/** An even, colour-blind safe scale (the viridis family, as a polynomial fit), 0 to 1 to sRGB 0 to 1. The shader has the same numbers. */
const c = [
  [0.2777273, 0.0054073, 0.3340998],
  [0.105093, 1.4046135, 1.3845902],
  [-0.3308618, 0.2148476, 0.0950952],
  [-4.6342305, -5.799101, -19.332441],
  [6.2282699, 14.1799334, 56.6905526],
  [4.776385, -13.7451454, -65.3530326],
  [-5.4354559, 4.6458526, 26.3124352],
]

export function scaleColour(t: number): [number, number, number] {
  const x = Math.min(Math.max(t, 0), 1)
  return [0, 1, 2].map((k) => Math.min(Math.max(c.reduceRight((a, row) => a * x + (row[k] ?? 0), 0), 0), 1)) as [number, number, number]
}

export const scaleCss = (t: number) => `rgb(${scaleColour(t).map((v) => Math.round(255 * v)).join(' ')})`

export const scaleGlsl = `vec3 scale(float t) {
  t = clamp(t, 0.0, 1.0); vec3 a = vec3(0);
  ${[...c].reverse().map((r) => `a = a * t + vec3(${r.map((v) => v.toFixed(7)).join(', ')});`).join('\n  ')}
  return clamp(a, 0.0, 1.0); }`
