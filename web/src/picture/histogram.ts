import { evOf, luminance } from '../kernel/sums'

/** The histogram counts pixels by luminance: so many bins a stop, from EV -4 to 18. */
export const evLow = -4
export const evHigh = 18
export const binsPerStop = 4

/** histogram counts the pixels of scene-linear RGBA by luminance, as shares of all. */
export function histogram(rgba: Float32Array): number[] {
  const bins = new Array<number>((evHigh - evLow) * binsPerStop).fill(0)
  // A quarter of a large picture's pixels tell as much.
  const step = rgba.length > 800_000 ? 16 : 4
  for (let i = 0; i < rgba.length; i += step) {
    const y = luminance([rgba[i] ?? 0, rgba[i + 1] ?? 0, rgba[i + 2] ?? 0])
    if (!(y > 0)) continue
    const b = Math.floor((evOf(y) - evLow) * binsPerStop)
    if (b < 0 || b >= bins.length) continue
    bins[b] = (bins[b] ?? 0) + 1
  }
  const n = Math.ceil(rgba.length / step)
  if (n === 0) return [] // there is no picture yet
  return bins.map((b) => b / n)
}
