import type { Gel, Light, Placed, Setup } from '../api.gen'
import { add, type V3 } from './camera'
import { own } from './locks'
import { stopsText, tidy } from './number'
import { draft, edit, useSetup, type Op } from './store'
import { at, began, free, linkedWith, make, named, now, placedKind, replace, round, setField, together, type Way } from './together'
import { rested, resting, standing } from './travel'
import { inUnit, unitNames, type Unit } from './units'
import { groupEdits } from './groupEdits'
import { newLights } from './newLights'

export { lockedLight } from './locks'
export { kindNames } from './newLights'
export { free, freeName, linkedWith, othersOf, replace, setField, together, type Way } from './together'

/** Where the chosen lights were when the hand took hold of one. */
const grabbed = new Map<string, V3>()

/** grab notes the places that a drag starts from. */
export function grab(id: string) {
  grabbed.clear()
  for (const [i, l] of together(id)) grabbed.set(i, l.position)
}

type NumberField = 'output' | 'length' | 'grid' | 'unitAt' | 'noDiffuse' | 'noSpecular' | 'radius' | 'range' | 'width' | 'height' | 'angle' | 'inner' | 'outer' | 'shadowMap' | 'roll' | 'behind' | 'mirrored'
const fieldNames: Partial<Record<NumberField, string>> = { unitAt: 'at', noDiffuse: 'matt share', noSpecular: 'glossy share', inner: 'inner cone', outer: 'outer cone', shadowMap: 'shadow map', behind: 'seen behind', mirrored: 'in mirrors' }

/** lightEdits are all edits of lights and their groups: each with the words that undo will show. */
export const lightEdits = {
  ...groupEdits,
  ...newLights,
  stops(id: string, l: Light, value: number, done: Way = true) {
    // Relative for all that are chosen: each keeps its difference from the others.
    const v = Math.round(Math.min(Math.max(value, -10), 10) * 1000) / 1000
    const by = v - (began(id)?.stops ?? l.stops)
    setField(id, l, 'stops', (q, i) => (i === id ? v : Math.round(Math.min(Math.max(q.stops + by, -10), 10) * 1000) / 1000), `${stopsText(by)} st`, done)
  },
  /** kelvin sets the temperature; lights chosen with it that have one change in the same way. */
  kelvin: (id: string, l: Light, k: number, done: Way = true, change: (x: number) => number = () => k) =>
    setField(id, l, 'colour', (q, i) => ({ ...(q.colour.gel ? { gel: q.colour.gel } : {}), ...(q.colour.tint ? { tint: q.colour.tint } : {}), kelvin: round(Math.min(Math.max(i === id || !q.colour.kelvin ? k : change(q.colour.kelvin), 800), 25000), 10) }), `${round(k, 10)} K`, done),
  /** unit tells a light in another unit, and leaves it as bright as it is. */
  unit(id: string, l: Light, to: Unit) {
    const facts = useSetup.getState().lamps
    const list = together(id).flatMap(([i, q]) => (facts[i]?.perUnit[to] ? [[i, q, facts[i]] as const] : []))
    const ops = list.flatMap(([i, q, f]) => linkedWith(i).flatMap((k): Op[] => [{ op: 'add', path: at(k, 'unit'), value: to }, replace(at(k, 'output'), inUnit(q, f, to)), { op: 'add', path: at(k, 'unitAt'), value: 0 }]))
    if (ops.length) edit(`${list.length === 1 ? l.name : `${list.length} lights`} told in ${unitNames[to]}`, ops)
  },
  tint: (id: string, l: Light, v: number, done = true, change: (x: number) => number = () => v) => setField(id, l, 'colour', (q, i) => ({ ...q.colour, tint: round(Math.min(Math.max(i === id ? v : change(q.colour.tint ?? 0), -30), 30), 0.1) }), `tint ${tidy(v)}`, done, (q) => !q.colour.rgb),
  gel: (id: string, l: Light, gel: Gel | null) => setField(id, l, 'colour', (q) => ({ ...q.colour, gel: gel?.id ?? '' }), gel ? `through ${gel.name.toLowerCase()}` : 'without gel'),
  drawn: (id: string, l: Light, drawn: Light['drawn'], words: string, done = true) => setField(id, l, 'drawn', drawn, words, done, (q) => q.kind === l.kind),
  /** beam sets one of the things that shape a beam, or takes it away. */
  beam<K extends 'profile' | 'gobo' | 'doors'>(id: string, l: Light, what: K, value: Light[K] | null, words: string, done = true) {
    const fits = (q: Light) => (what === 'gobo' ? q.kind === 'spot' : what === 'doors' ? q.kind === 'spot' || q.kind === 'rect' : q.kind === 'spot' || q.kind === 'point')
    setField(id, l, what, value as Light[K], words, done, fits)
  },
  flag: (id: string, l: Light, field: 'twoSided' | 'noAir', on: boolean, words: string) => setField(id, l, field, on, words),
  /** opening marks rects as openings by which rooms see the sky. */
  opening: (id: string, l: Light, on: boolean) => setField(id, l, 'opening', on, on ? 'lets the sky in' : 'is no opening', true, (q) => q.kind === 'rect'),
  channels: (id: string, l: Light, bits: number, words: string) => setField(id, l, 'channels', bits, words),
  /** link gives lights one set of values: those of the first. */
  link(ids: string[]) {
    const doc = now()
    const [first, ...rest] = ids
    const l = first ? doc?.lights[first] : undefined
    if (!doc || !l || !first || rest.length === 0) return
    const name = l.link || free(Object.fromEntries(Object.values(doc.lights).map((q) => [q.link ?? '', 1])), l.name)
    const ops: Op[] = ids.map((i) => {
      const q = doc.lights[i] as Light
      const keep = Object.fromEntries([...own].map((k) => [k, q[k as keyof Light]]).filter(([, v]) => v !== undefined))
      const values = Object.fromEntries(Object.entries(structuredClone(l)).filter(([k]) => !own.has(k)))
      return replace(`/lights/${i}`, { ...values, ...keep, link: name })
    })
    edit(`${ids.length} lights linked`, ops)
  },
  unlink(id: string, l: Light) {
    const rest = linkedWith(id).filter((i) => i !== id)
    // A set of one is none.
    const ops = [id, ...(rest.length === 1 ? rest : [])].map((i): Op => ({ op: 'add', path: at(i, 'link'), value: '' }))
    edit(`${l.name} unlinked`, ops)
  },
  rgb: (id: string, l: Light, rgb: [number, number, number], done = true) => setField(id, l, 'colour', (q) => ({ ...(q.colour.gel ? { gel: q.colour.gel } : {}), rgb }), 'colour', done),
  /** number sets one of a light's numbers; lights chosen with it change in the same way, so that differences stay. */
  number(id: string, l: Light, field: NumberField, v: number, unit: string, done = true, change: (x: number) => number = () => v) {
    const whole = field === 'shadowMap' ? Math.round : (x: number) => x
    setField(id, l, field, (q, i) => whole(i === id ? v : change(q[field] ?? 0)), `${field === 'output' ? '' : `${fieldNames[field] ?? field} `}${tidy(v)} ${unit}`, done, (q) => q.kind === l.kind || field === 'range' || field === 'output')
  },
  off(id: string, l: Light) {
    setField(id, l, 'off', !l.off, l.off ? 'on' : 'off')
  },
  offAll(ids: string[]) {
    const doc = now()
    const list = ids.filter((i) => doc?.lights[i])
    if (!doc || list.length === 0) return
    const off = list.some((i) => !doc.lights[i]?.off)
    edit(`${list.length === 1 ? doc.lights[list[0] ?? '']?.name : `${list.length} lights`} ${off ? 'off' : 'on'}`, list.map((i) => replace(at(i, 'off'), off)))
  },
  /** handle moves what a handle of one light moves: its own values, and the place of all that are chosen. */
  handle(id: string, doc: Setup, changes: Partial<Light>, shift: V3 | undefined, words: string, done: boolean) {
    const ops: Op[] = Object.entries(resting(id, changes)).flatMap(([k, v]) => (own.has(k) ? [id] : linkedWith(id)).map((i): Op => ({ op: 'add', path: at(i, k), value: v })))
    const list = together(id)
    if (shift) {
      for (const [i] of list) {
        // From where it was when the drag began: drafts do not add up.
        const start = grabbed.get(i)
        if (!start) continue
        ops.push(replace(at(i, 'position'), rested(i, add(standing(i, { ...(doc.lights[i] as Light), position: start }).position, shift)).map((v) => round(v, 0.001))))
      }
    }
    if (ops.length === 0) return
    if (done) {
      grabbed.clear()
      edit(`${shift ? named(list) : (doc.lights[id]?.name ?? '')} ${words}`, ops)
    } else draft(ops)
  },
  /** stand changes one coordinate of where the chosen lights stand in the world. */
  stand(id: string, l: Light, axis: number, change: (v: number) => number, done: Way = true) {
    setField(id, l, 'position', (q, i) => (resting(i, { position: standing(i, q).position.map((v, k) => (k === axis ? round(change(v), 0.001) : v)) as V3 }).position ?? q.position) as Light['position'], 'moved', done, (q) => placedKind(q.kind))
  },
  /** point turns a light towards a direction in the world. */
  point(id: string, aim: V3, done: Way = true) {
    const l = began(id)
    const to = l && resting(id, { aim: aim.map((v) => round(v, 1e-5)) as V3 }).aim
    if (l && to) make(done, `${l.name} aimed`, [replace(at(id, 'aim'), to)])
  },
  /** place puts a light where its result wants it. */
  place(id: string, p: Placed, words: string, done: boolean) {
    const l = began(id)
    if (!l) return
    const to: Partial<Light> = {}
    if (p.position) to.position = p.position.map((v) => round(v, 0.001)) as V3
    if (p.aim) to.aim = p.aim.map((v) => round(v, 1e-5)) as V3
    if (p.width !== undefined) to.width = Math.max(round(p.width, 0.001), 0.001)
    if (p.height !== undefined) to.height = Math.max(round(p.height, 0.001), 0.001)
    if (p.roll !== undefined) to.roll = p.roll
    if (p.stops !== undefined) to.stops = Math.round(Math.min(Math.max(l.stops + p.stops, -20), 20) * 1000) / 1000
    const ops = Object.entries(resting(id, to)).flatMap(([k, v]) => (own.has(k) ? [id] : linkedWith(id)).map((i): Op => ({ op: 'add', path: at(i, k), value: v })))
    if (done) edit(`${l.name} ${words}`, ops)
    else draft(ops)
  },
  drop() {
    grabbed.clear()
    draft([])
  },
  lock(ids: string[]) {
    const doc = now()
    if (!doc || ids.length === 0) return
    const on = ids.some((i) => !doc.lights[i]?.locked)
    edit(`${ids.length === 1 ? doc.lights[ids[0] ?? '']?.name : `${ids.length} lights`} ${on ? 'locked' : 'unlocked'}`, ids.filter((i) => doc.lights[i]).map((i) => ({ op: 'add', path: at(i, 'locked'), value: on })))
  },
  carry: (id: string, l: Light, c: Light['carry']) => setField(id, l, 'carry', c, `carried ${c}`),
  shadow: (id: string, l: Light) => setField(id, l, 'shadow', !l.shadow, l.shadow ? 'without shadow' : 'with shadow'),
  role(id: string, l: Light, role: string) {
    const r = role.trim().slice(0, 40)
    if (r !== (l.role ?? '')) setField(id, l, 'role', r, `role ${r || 'none'}`)
  },
  rename(id: string, l: Light, name: string) {
    const n = name.trim()
    if (n && n !== l.name) edit(`${l.name} renamed ${n}`, [replace(at(id, 'name'), n)])
  },
}
