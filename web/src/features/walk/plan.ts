export type V3 = [number, number, number]

/** nearestHeight is how high the nearest of some places lies, as seen from above. */
export function nearestHeight(places: V3[], x: number, z: number): number {
  let best = Infinity
  let y = 0
  for (const p of places) {
    const d = (p[0] - x) ** 2 + (p[2] - z) ** 2
    if (d < best) [best, y] = [d, p[1]]
  }
  return y
}

/** between is where a new stop goes among others: between the two whose line it lies on within so many metres, or after all. */
export function between(stops: V3[], x: number, z: number, within: number): number {
  let best = within
  let at = stops.length
  stops.slice(1).forEach((b, i) => {
    const a = stops[i] as V3
    const [dx, dz] = [b[0] - a[0], b[2] - a[2]]
    const l = dx * dx + dz * dz
    const t = l > 0 ? Math.min(Math.max(((x - a[0]) * dx + (z - a[2]) * dz) / l, 0), 1) : 0
    const d = Math.hypot(a[0] + t * dx - x, a[2] + t * dz - z)
    if (d < best && t > 0 && t < 1) [best, at] = [d, i + 1]
  })
  return at
}
