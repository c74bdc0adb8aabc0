import { convertLrgbToRgb, formatRgb } from 'culori/fn'
import type { Colour, FrameNews, Group, LampFact, LayerNews, Light, Setup, Warmth } from '../api.gen'

import { nominal, perOutput } from './units'

export type RGB = [number, number, number]

export const luminance = (c: RGB) => 0.2126 * c[0] + 0.7152 * c[1] + 0.0722 * c[2]

/** temperature reads the server's table of black-body colours, even in mired. */
export function temperature(w: Warmth, kelvin: number): RGB {
  const a = 1e6 / w.minKelvin
  const b = 1e6 / w.maxKelvin
  const n = w.colours.length - 1
  const x = Math.min(Math.max(((1e6 / kelvin - a) / (b - a)) * n, 0), n)
  const i = Math.min(Math.floor(x), n - 1)
  const p = w.colours[i] as RGB
  const q = w.colours[i + 1] as RGB
  const t = x - i
  return [p[0] + t * (q[0] - p[0]), p[1] + t * (q[1] - p[1]), p[2] + t * (q[2] - p[2])]
}

export function linear(w: Warmth, c: Colour): RGB {
  if (!c.rgb) return temperature(w, c.kelvin ?? 6500)
  const y = luminance(c.rgb)
  return y > 0 ? [c.rgb[0] / y, c.rgb[1] / y, c.rgb[2] / y] : [0, 0, 0]
}

/** groupsOf are the group of an id and all that it lies in. */
export function groupsOf(doc: Setup, id: string): Group[] {
  const out: Group[] = []
  for (let g = doc.groups[id]; g && out.length < 20; g = doc.groups[g.parent ?? '']) out.push(g)
  return out
}

/** level is a light's strength in the units of its layers, on or off. */
export function level(doc: Setup, l: Light, f: LampFact): number {
  const trim = groupsOf(doc, l.group).reduce((a, g) => a + g.trim, 0)
  return nominal(l) * 2 ** (l.stops + trim) * perOutput(l, f)
}

export const isOff = (doc: Setup, l: Light) => l.off || groupsOf(doc, l.group).some((g) => g.off)

/** emitted is what leaves a light of unit output: plain colours at once, what a tint, a gel or a group makes of them as the server has worked out. */
export function emitted(doc: Setup, l: Light, f: LampFact | undefined, w: Warmth): RGB {
  const plain = !l.colour.tint && !l.colour.gel && !groupsOf(doc, l.group).some((g) => g.hue || g.mired)
  return plain || !f ? linear(w, l.colour) : f.colour
}

/** gains are what the unit layers are multiplied by, by light id. */
export function gains(doc: Setup, lamps: Record<string, LampFact>, w: Warmth, alone: ReadonlySet<string>): Record<string, RGB> {
  const out: Record<string, RGB> = {}
  for (const [id, l] of Object.entries(doc.lights)) {
    const f = lamps[id]
    const on = alone.size > 0 ? alone.has(id) : !isOff(doc, l)
    if (!f || !on) {
      out[id] = [0, 0, 0]
      continue
    }
    const c = emitted(doc, l, f, w)
    const k = level(doc, l, f)
    out[id] = [c[0] * k, c[1] * k, c[2] * k]
  }
  return out
}

export interface Gives {
  /** What comes straight from it, from surfaces and from the air. */
  direct: number
  bounced: number
  /** Share of the view's mean luminance, 0 to 1: direct and bounced together. */
  share: number
  /** The part of direct that the air sends on. */
  air: number
}

const dot = (g: RGB, m: RGB) => luminance([g[0] * m[0], g[1] * m[1], g[2] * m[2]])

/** gives are each light's direct and bounced shares of the view's mean luminance. What the
 * camera sees shining is left out, so that a bright sky does not drown what it gives. */
export function gives(frame: FrameNews | undefined, lamps: Record<string, LampFact>, g: Record<string, RGB>): Record<string, Gives> {
  const out: Record<string, Gives> = {}
  let total = 0
  for (const [id, f] of Object.entries(lamps)) {
    const layer: LayerNews | undefined = frame?.layers[f.key]
    const gain = g[id]
    if (!layer || !gain) continue
    const air = dot(gain, layer.air)
    const direct = dot(gain, layer.direct) + air
    const bounced = dot(gain, layer.bounced)
    out[id] = { direct, bounced, air, share: 0 }
    total += direct + bounced
  }
  for (const v of Object.values(out)) {
    if (total > 0) {
      v.direct /= total
      v.air /= total
      v.bounced /= total
    }
    v.share = v.direct + v.bounced
  }
  return out
}

/** best is the finest frame that has a layer by this key. */
export function best(frames: Record<number, FrameNews> | undefined, key: string): FrameNews | undefined {
  for (const level of [2, 1, 0]) {
    const f = frames?.[level]
    if (f?.layers[key]) return f
  }
  return undefined
}

/** finest is the largest picture in which every light has a layer. */
export function finest(frames: Record<number, FrameNews> | undefined, lamps: Record<string, LampFact>): FrameNews | undefined {
  const keys = Object.values(lamps).map((l) => l.key)
  for (const level of [2, 1, 0]) {
    const f = frames?.[level]
    if (f && keys.every((k) => f.layers[k])) return f
  }
  return undefined
}

/** settled says in plain words how far the picture is from the truth; nothing where that is not known. */
export function settled(f: Pick<FrameNews, 'error' | 'clean' | 'settles'>): string {
  if (!(f.error > 0)) return ''
  if (f.error <= f.clean) return 'clean · '
  if (!(f.settles > 0)) return ''
  const s = f.settles
  return s > 90 ? 'settles in some minutes · ' : `settles in about ${s > 20 ? 10 * Math.ceil(s / 10) : Math.ceil(s)} s · `
}

/** mixed is a frame whose layers are each light's finest: what the picture is composed of. */
export function mixed(frames: Record<number, FrameNews> | undefined, lamps: Record<string, LampFact>): FrameNews | undefined {
  const whole = finest(frames, lamps) ?? frames?.[2] ?? frames?.[1] ?? frames?.[0]
  if (!whole) return undefined
  const layers: Record<string, LayerNews> = {}
  for (const l of Object.values(lamps)) {
    const y = best(frames, l.key)?.layers[l.key]
    if (y) layers[l.key] = y
  }
  return { ...whole, layers }
}

/** exposureFactor brings the metered luminance, 0.125 * 2^EV, to middle grey. */
export const exposureFactor = (ev: number) => 0.18 / (0.125 * 2 ** ev)

export const evOf = (nit: number) => Math.log2(nit / 0.125)

/** Where white is, in stops above middle grey, for each curve. */
export const clipStops = (curve: string) => filmOf(curve)?.white ?? (curve === 'shoulder' ? 5 : Math.log2(1 / 0.18))

/** filmOf reads a curve that is a film's, as “film 1.30 6”: how steep it is and how many stops over grey white lies; null for any other. */
export function filmOf(curve: string): { steep: number; white: number } | null {
  const [name, steep, white] = curve.split(' ')
  return name === 'film' ? { steep: Number(steep), white: Number(white) } : null
}

/** filmCurve says a film as a curve. */
export const filmCurve = (steep: number, white: number) => `film ${steep.toFixed(2)} ${Math.round(white * 10) / 10}`

/** filmNumbers are a film as the shader takes it: its power, and what keeps grey and puts white at 1. */
export function filmNumbers(curve: string): RGB {
  const f = filmOf(curve)
  if (!f) return [1, 1, 1]
  const r = 2 ** (f.steep * f.white)
  const t = (0.18 - 1 / (r * r)) / 0.82
  return [f.steep, t / 0.18 ** f.steep, t * r]
}

/** cssColour shows a light's own colour as full as the screen allows. */
export function cssColour(c: RGB): string {
  const m = Math.max(...c, 1e-9)
  const [r, g, b] = c.map((v) => Math.max(v, 0) / m) as [number, number, number]
  return formatRgb(convertLrgbToRgb({ r, g, b }))
}
