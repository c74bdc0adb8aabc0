import type { LampFact, Setup, Warmth } from '../api.gen'
import type { Way } from '../kernel/look'
import { gains, isOff, type RGB } from '../kernel/sums'
import type { Item } from './composite'
import { asDrawn } from './ways'

/** partKey names a part of a light's layer of a sight. */
export const partKey = (sight: string, lamp: string, part: number) => `${sight}/${lamp}/${part}`

/** partsOf are the parts of a layer that a way of seeing needs, with their signs: whole, bounced, shining, in the air. */
export function partsOf(way: Way, shines: boolean): [number, number][] {
  // The run-time picture is put together from all parts; here they are only asked for.
  if (asDrawn(way)) return shines ? [[0, 1], [1, 0], [2, 0], [3, 0]] : [[0, 1], [1, 0], [3, 0]]
  if (way === 'bounced') return [[1, 1]]
  if (way === 'air') return [[3, 1]]
  if (way === 'direct') return shines ? [[0, 1], [1, -1], [2, -1], [3, -1]] : [[0, 1], [1, -1], [3, -1]]
  return [[0, 1]]
}

const mainPart = (way: Way) => (way === 'bounced' ? 1 : way === 'air' ? 3 : 0)

/** runtimeLights are the lights that the target works out each frame, with what their shadows depend on. */
export function runtimeLights(doc: Setup | null, lamps: Record<string, LampFact>): string {
  return JSON.stringify(
    Object.entries(lamps).flatMap(([id, f]) => {
      const l = doc?.lights[id]
      return l && !isOff(doc, l) && l.carry !== 'baked' && l.kind !== 'sky' && l.kind !== 'emissive' ? [[id, `${f.key}${l.shadowMap}${JSON.stringify(l.drawn ?? null)}${doc.target}`]] : []
    }),
  )
}

/** Shown is what the picture is put together of. */
export interface Shown {
  /** The sight that is drawn. */
  sight: string
  way: Way
  warmth: Warmth
  /** Which version of a part is here. */
  stamp: (key: string) => string | undefined
  /** What each light showed last, until its new layer is here. */
  last: Map<string, string>
}

/** itemsOf are the parts of a document's lights with their gains; of a light whose layer is not here yet, those that it showed last. remember notes them. */
export function itemsOf(s: Shown, d: Setup, facts: Record<string, LampFact>, only: ReadonlySet<string>, remember: boolean): Item[] {
  const g = gains(d, facts, s.warmth, only)
  const out: Item[] = []
  for (const [light, fact] of Object.entries(facts)) {
    const l = d.lights[light]
    if (!l || (s.way === 'sky' && l.kind !== 'sky') || (s.way === 'emissive' && l.kind !== 'emissive')) continue
    let key = fact.key
    if (s.stamp(partKey(s.sight, key, mainPart(s.way))) === undefined) key = s.last.get(light) ?? key
    else if (remember) s.last.set(light, key)
    const gain = g[light] ?? ([0, 0, 0] as RGB)
    // Without fog there is no part of the air.
    for (const [part, sign] of partsOf(s.way, fact.shines)) if (part !== 3 || s.stamp(partKey(s.sight, key, 3)) !== undefined) out.push({ key: partKey(s.sight, key, part), gain: [gain[0] * sign, gain[1] * sign, gain[2] * sign] })
  }
  return out
}

/** runtimeItems are the parts as the target shows them: lightmaps for what is baked, the light's own picture for what is not. */
export function runtimeItems(s: Shown, doc: Setup, lamps: Record<string, LampFact>, only: ReadonlySet<string>): Item[] {
  const g = gains(doc, lamps, s.warmth, only)
  return Object.entries(lamps).flatMap(([light, fact]): Item[] => {
    const l = doc.lights[light]
    const gain = g[light] ?? ([0, 0, 0] as RGB)
    const own = `rt/${s.sight}/${light}`
    if (!l) return []
    if (l.carry === 'baked' || l.kind === 'sky' || l.kind === 'emissive' || s.stamp(own) === undefined) return [{ key: partKey(s.sight, fact.key, 0), gain }]
    const items: Item[] = [{ key: own, gain }]
    if (l.carry === 'split') items.push({ key: partKey(s.sight, fact.key, 1), gain })
    if (fact.shines) items.push({ key: partKey(s.sight, fact.key, 2), gain })
    if (s.stamp(partKey(s.sight, fact.key, 3)) !== undefined) items.push({ key: partKey(s.sight, fact.key, 3), gain })
    return items
  })
}
