import type { Cost, Light, Setup } from '../../api.gen'
import { groupsOf, isOff } from '../../kernel/sums'

/** What a filter can ask of a light besides the document. */
export interface Known {
  gives?: number
  cost?: Cost
  notice?: number
}

type Test = (l: Light, id: string, doc: Setup, k: Known) => boolean

/** Term is one thing that a filter asks: its words as they were typed, and which lights fit it. */
export interface Term {
  words: string
  fits: Test
}

const kinds: Record<string, Light['kind']> = {
  sun: 'sun', suns: 'sun', sky: 'sky', skies: 'sky', lamp: 'point', lamps: 'point', point: 'point', points: 'point', spot: 'spot', spots: 'spot',
  panel: 'rect', panels: 'rect', rect: 'rect', rects: 'rect', disc: 'disc', discs: 'disc', emissive: 'emissive', shining: 'emissive',
}

const fillers = /\b(?:lights?|that|which|are|is|and|with|the|all|a|of|casts?)\b/g

const number = '(\\d+(?:\\.\\d+)?)'
const less = '(?:under|below|less than|at most|<=?)'
const more = '(?:over|above|more than|at least|>=?)'

/** asked reads one comparison of a quantity out of the text: "gives under 1 %". */
function asked(text: string, name: string, value: (k: Known, l: Light) => number | undefined, unit = 1): { rest: string; term: Term | null } {
  const m = new RegExp(`\\b${name}\\s+(?:(${less})|(${more}))\\s*${number}\\s*(?:%|ms|mb|st)?`).exec(text)
  if (!m) return { rest: text, term: null }
  const limit = Number(m[3]) * unit
  const under = m[1] !== undefined
  const test: Test = (l, _, __, k) => {
    const v = value(k, l)
    return v !== undefined && (under ? v < limit : v > limit)
  }
  return { rest: text.replace(m[0], ' '), term: { words: m[0].trim(), fits: test } }
}

/** readTerms understands "live lights that cast shadows and give under 1 %", "baked spots", "no shadow",
 * "costs over 0.3", "notice under 1", "off", "locked"; every other word must be in the name, role or group. */
export function readTerms(text: string): Term[] {
  let t = ` ${text.toLowerCase().replaceAll(',', ' ')} `
  const terms: Term[] = []
  const quantities: [string, (k: Known, l: Light) => number | undefined, number][] = [
    ['gives?', (k) => k.gives, 0.01],
    ['costs?', (k) => k.cost?.ms, 1],
    ['mb', (k) => k.cost?.mb, 1],
    ['notice[ds]?', (k) => k.notice, 1],
    ['stops', (_, l) => l.stops, 1],
  ]
  for (const [name, value, unit] of quantities) {
    for (;;) {
      const { rest, term } = asked(t, name, value, unit)
      if (!term) break
      terms.push(term)
      t = rest
    }
  }
  const word = (pattern: string, fits: Test) => {
    const m = new RegExp(`\\b(?:${pattern})\\b`).exec(t)
    if (!m) return
    terms.push({ words: m[0].trim(), fits })
    t = t.replace(m[0], ' ')
  }
  word('no shadows?|without shadows?|shadowless', (l) => !l.shadow)
  word('(?:casts? )?shadows?', (l) => l.shadow && l.kind !== 'sky' && l.kind !== 'emissive')
  word('not? off|on', (l, _, doc) => !isOff(doc, l))
  word('off', (l, _, doc) => isOff(doc, l))
  word('locked', (l, _, doc) => Boolean(l.locked) || groupsOf(doc, l.group).some((g) => g.locked))
  for (const c of ['baked', 'split', 'live'] as const) word(c, (l) => l.carry === c)
  t = t.replace(fillers, ' ')
  const wanted = new Set<Light['kind']>()
  const kindWords: string[] = []
  for (const w of t.split(/\s+/).filter(Boolean)) {
    const kind = kinds[w]
    // "pump lamp" is a name; "lamps" is a kind.
    if (kind && (w.endsWith('s') || w === 'sun' || w === 'sky' || w === 'emissive' || w === 'shining')) {
      wanted.add(kind)
      kindWords.push(w)
    } else terms.push({ words: w, fits: (l, _, doc) => [l.name, l.role ?? '', ...groupsOf(doc, l.group).map((g) => g.name)].some((s) => s.toLowerCase().includes(w)) })
  }
  if (wanted.size > 0) terms.push({ words: kindWords.join(' or '), fits: (l, _, doc) => wanted.has(l.kind) || [...wanted].some((k) => l.name.toLowerCase().includes(k) || groupsOf(doc, l.group).some((g) => g.name.toLowerCase().includes(k))) })
  return terms
}

/** readFilter is all terms of a text together. */
export function readFilter(text: string): Test {
  const terms = readTerms(text)
  return (l, id, doc, k) => terms.every((t) => t.fits(l, id, doc, k))
}

/** without is the text of a filter without one of its terms. */
export const without = (terms: Term[], gone: Term) =>
  terms
    .filter((t) => t !== gone)
    .map((t) => t.words.replaceAll(' or ', ' '))
    .join(' ')
