import type { LampFact, Light } from '../api.gen'

export type Unit = NonNullable<Light['unit']>

/** Units of output as they are shown, in the order they are offered. */
export const unitNames: Record<Unit, string> = { lm: 'lm', cd: 'cd', lx: 'lx', 'cd/m2': 'cd/m²', W: 'W' }

export const unitSays: Record<Unit, string> = {
  lm: 'lumen: all that it sends out',
  cd: 'candela: along its axis',
  lx: 'lux: on a surface square to it, at a distance',
  'cd/m2': 'candela per square metre: of what shines',
  W: 'watts that it draws, by lumens for each',
}

export const unitOf = (l: Light): Unit => l.unit || (l.kind === 'sun' ? 'lx' : l.kind === 'sky' || l.kind === 'emissive' ? 'cd/m2' : 'lm')

/** nominal is a light's output as it counts: as measured where a luminaire's file says so. */
export const nominal = (l: Light): number => (l.profile && !l.profile.scaled ? l.profile.flux : l.output)

/** perOutput is what one linear unit of a light's output makes in its layers: by the unit that the document says, which may be ahead of the server's news. */
export const perOutput = (l: Light, f: LampFact): number => f.perUnit[l.profile && !l.profile.scaled ? 'lm' : unitOf(l)] ?? f.perOutput

/** inUnit is the output that leaves the light as it is when it is told in another unit. */
export function inUnit(l: Light, f: LampFact, to: Unit): number {
  const k = f.perUnit[to]
  if (!k) return l.output
  return (nominal(l) * perOutput(l, f)) / k
}

/** figure writes a number with three digits, or whole with a comma at each thousand. */
export const figure = (v: number) => (v >= 100 ? Math.round(v).toLocaleString('en') : v.toPrecision(3))

/** nits writes a luminance. */
export const nits = (v: number) => `${figure(v)} cd/m²`

/** lux writes an illuminance. */
export const lux = (v: number) => `${figure(v)} lx`
