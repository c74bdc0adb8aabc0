import type { RGB } from '../kernel/sums'
import type { Way } from '../kernel/look'
import { ways, type WayCode } from '../kernel/seeing'
import { scaleColour } from './palette'

interface Spec {
  name: string
  says: string
  code: WayCode
  /** A map that the server draws instead of the light. */
  map?: 'albedo' | 'normals' | 'edges' | 'reach' | 'crowding'
}

export const waySpecs: Record<Way, Spec> = {
  picture: { name: 'Full picture', says: 'as it will be seen', code: ways.picture },
  light: { name: 'Light on grey', says: 'every surface a matt grey: the light alone', code: ways.picture },
  direct: { name: 'Direct light', says: 'what comes straight from the lights', code: ways.picture },
  bounced: { name: 'Bounced light', says: 'what comes by way of other surfaces', code: ways.picture },
  air: { name: 'Light in the air', says: 'what fog sends on of the lights: shafts', code: ways.picture },
  sky: { name: 'Sky', says: 'the sky lights alone, direct and bounced', code: ways.picture },
  emissive: { name: 'Shining surfaces', says: 'emissive surfaces alone, direct and bounced', code: ways.picture },
  mark: { name: 'Chosen light marked', says: 'the chosen lights’ share in yellow over a grey picture', code: ways.mark },
  zones: { name: 'Exposure zones', says: 'stops from middle grey', code: ways.zones },
  clipped: { name: 'Clipped and buried', says: 'stripes: over white; dots: six stops under grey', code: ways.clipped },
  luminance: { name: 'Luminance', says: 'cd/m², each step a doubling', code: ways.luminance },
  illuminance: { name: 'Illuminance', says: 'lux on the surfaces, each step a doubling', code: ways.illuminance },
  runtime: { name: 'Run-time picture', says: 'lightmaps, and shadows as the target draws them', code: ways.picture },
  beside: { name: 'Run-time beside reference', says: 'left the reference, right the run-time picture', code: ways.picture },
  gap: { name: 'Run-time against reference', says: 'where the two differ', code: ways.picture },
  albedo: { name: 'Materials', says: 'surface colours without light', code: ways.colours, map: 'albedo' },
  normals: { name: 'Normals', says: 'x, y, z as red, green, blue', code: ways.colours, map: 'normals' },
  edges: { name: 'Triangle edges', says: 'how the geometry is cut', code: ways.colours, map: 'edges' },
  reach: { name: 'Reach of the chosen light', says: 'where it comes, and why not', code: ways.codes, map: 'reach' },
  crowding: { name: 'Crowding', says: 'split and live lights that overlap', code: ways.codes, map: 'crowding' },
}

/** asDrawn tells the ways that show the target's own shadows. */
export const asDrawn = (w: Way) => w === 'runtime' || w === 'beside' || w === 'gap'

export const wayOrder = Object.keys(waySpecs) as Way[]

/** The reasons in the order of the server's codes, in words. */
export const reachNames = ['lit', 'in shadow', 'faces away', 'outside the cone', 'out of range', 'other channel', 'no way to it']

export const codePalette = (way: Way): RGB[] => (way === 'reach' ? reachNames.map((_, i) => scaleColour(1 - i / 6.5)) : Array.from({ length: 16 }, (_, i) => scaleColour(i / 8)))

/** range of a luminance or illuminance scale, in log2 of its unit, round the held exposure. */
export function logRange(way: Way, ev: number): [number, number] {
  const grey = way === 'illuminance' ? Math.log2(2.5) + ev : ev - 3
  return [Math.floor(grey - 6), Math.floor(grey - 6) + 12]
}

export interface Step {
  colour: string
  words: string
}

const css = (c: RGB) => `rgb(${c.map((v) => Math.round(255 * v)).join(' ')})`
const tidyUnit = (v: number) => (v >= 10 ? v.toFixed(0) : v >= 1 ? v.toFixed(1) : v.toPrecision(1))

/** legend says what the colours mean; nothing for pictures. */
export function legend(way: Way, ev: number): Step[] {
  switch (way) {
    case 'zones':
      return Array.from({ length: 12 }, (_, i) => ({ colour: css(scaleColour(i / 11)), words: i === 6 ? 'grey' : `${i > 6 ? '+' : '−'}${Math.abs(i - 6)}` }))
    case 'luminance':
    case 'illuminance': {
      const [lo, hi] = logRange(way, ev)
      return Array.from({ length: 7 }, (_, i) => ({ colour: css(scaleColour(i / 6)), words: `${tidyUnit(2 ** (lo + ((hi - lo) * i) / 6))}${i === 6 ? (way === 'illuminance' ? ' lx' : ' cd/m²') : ''}` }))
    }
    case 'reach':
      return reachNames.map((words, i) => ({ colour: css(codePalette('reach')[i] ?? [0, 0, 0]), words }))
    case 'crowding':
      return Array.from({ length: 9 }, (_, i) => ({ colour: css(scaleColour(i / 8)), words: i === 8 ? '8 and more lights' : String(i) }))
  }
  return []
}
