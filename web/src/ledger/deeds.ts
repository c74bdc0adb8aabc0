import type { Gel, Group, Light, Placed, Setup } from '../api.gen'
import { stopsText, tidy } from '../fields/number'
import { axes, add, times, type Camera, type V3 } from '../picture/camera'
import { choose, chooseAll, useLook } from '../picture/look'
import { lockedLight, own } from '../setup/locks'
import { draft, edit, entries, hold, say, useSetup, type Op } from '../setup/store'
import { groupsOf } from '../setup/sums'
import { rested, resting, standing } from '../setup/travel'
import { inUnit, unitNames, type Unit } from '../setup/units'

/** deeds are the edits a Ledger row makes: each with the words that undo will show. */

const at = (id: string, field: string) => `/lights/${id}/${field}`

export const replace = (path: string, value: unknown): Op => ({ op: 'replace', path, value })

export { lockedLight } from '../setup/locks'

/** now is the document that acts begin from: with what is on its way, without what is under the hand. */
const now = () => useSetup.getState().kept

/** How far an act has come: shown only, held by a key that may go on, or done. */
export type Way = boolean | 'held'

const make = (way: Way, label: string, ops: Op[]) => {
  if (way === true) edit(label, ops)
  else if (way === 'held') hold(label, ops)
  else draft(ops)
}

/** together are the lights that an edit of one goes to: all that are chosen with it, except what is locked. */
export function together(id: string): [string, Light][] {
  const doc = now()
  if (!doc) return []
  const picked = useLook.getState().picked
  const ids = picked.has(id) && picked.size > 1 ? [...picked] : [id]
  return ids.flatMap((i) => {
    const l = doc.lights[i]
    return l && (!lockedLight(doc, l) || ids.length === 1) ? [[i, l] as [string, Light]] : []
  })
}

/** othersOf are the values that the lights edited with one have of something. */
export const othersOf = (id: string, value: (l: Light) => number | undefined): number[] =>
  together(id).flatMap(([i, l]) => {
    const v = i === id ? undefined : value(l)
    return v === undefined ? [] : [v]
  })

const named = (list: [string, Light][]) => (list.length === 1 ? (list[0]?.[1].name ?? '') : `${list.length} lights`)

/** free finds an id that no light, group or view has yet. */
export function free(taken: Record<string, unknown>, name: string): string {
  const base =
    name
      .toLowerCase()
      .replace(/[^a-z0-9]+/g, '-')
      .replace(/^-+|-+$/g, '')
      .slice(0, 40) || 'item'
  let id = base
  for (let n = 2; id in taken; n++) id = `${base}-${n}`
  return id
}

/** freeName finds a name that no other light of the group has. */
export function freeName(doc: Setup, group: string, name: string, also: string[] = []): string {
  const used = new Set([...Object.values(doc.lights).filter((l) => l.group === group).map((l) => l.name.trim().toLowerCase()), ...also.map((n) => n.toLowerCase())])
  const stem = name.replace(/ \d+$/, '')
  let out = name
  for (let n = 2; used.has(out.trim().toLowerCase()); n++) out = `${stem} ${n}`
  return out
}

/** setField sets a field of a light, and of all that are chosen with it where fits says so. */
export function setField<K extends keyof Light>(id: string, _: Light, field: K, value: Light[K] | ((l: Light, id: string) => Light[K]), words: string, done: Way = true, fits: (l: Light) => boolean = () => true) {
  const list = together(id).filter(([, l]) => fits(l))
  const ops: Op[] = []
  const had = new Set<string>()
  for (const [i, l] of list) {
    if (had.has(i)) continue
    const v = typeof value === 'function' ? value(l, i) : value
    // Linked lights share the value, chosen or not.
    for (const k of own.has(field) ? [i] : linkedWith(i)) {
      had.add(k)
      ops.push({ op: 'add', path: at(k, field), value: v })
    }
  }
  if (list.length === 0) return
  make(done, `${named(list)} ${words}`, ops)
}

/** linkedWith are a light and all that share its values. */
export function linkedWith(id: string): string[] {
  const lights = now()?.lights ?? {}
  const link = lights[id]?.link
  return link ? [id, ...Object.keys(lights).filter((i) => i !== id && lights[i]?.link === link)] : [id]
}

const began = (id: string) => now()?.lights[id]

const placedKind = (k: Light['kind']) => k !== 'sky' && k !== 'sun' && k !== 'emissive'

export const kindNames: Record<Light['kind'], string> = { sun: 'Sun', sky: 'Sky', point: 'Lamp', spot: 'Spot', rect: 'Panel', disc: 'Disc', line: 'Line', emissive: 'Shining surface' }

/** Where the chosen lights were when the hand took hold of one. */
const grabbed = new Map<string, V3>()

/** grab notes the places that a drag starts from. */
export function grab(id: string) {
  grabbed.clear()
  for (const [i, l] of together(id)) grabbed.set(i, l.position)
}

const round = (v: number, to: number) => Math.round(v / to) * to

type NumberField = 'output' | 'length' | 'grid' | 'unitAt' | 'noDiffuse' | 'noSpecular' | 'radius' | 'range' | 'width' | 'height' | 'angle' | 'inner' | 'outer' | 'shadowMap' | 'roll'
const fieldNames: Partial<Record<NumberField, string>> = { unitAt: 'at', noDiffuse: 'matt share', noSpecular: 'glossy share', inner: 'inner cone', outer: 'outer cone', shadowMap: 'shadow map' }

export const deeds = {
  stops(id: string, l: Light, value: number, done: Way = true) {
    // Relative for all that are chosen: each keeps its difference from the others.
    const v = Math.round(Math.min(Math.max(value, -10), 10) * 1000) / 1000
    const by = v - (began(id)?.stops ?? l.stops)
    setField(id, l, 'stops', (q, i) => (i === id ? v : Math.round(Math.min(Math.max(q.stops + by, -10), 10) * 1000) / 1000), `${stopsText(by)} st`, done)
  },
  trim(id: string, doc: Setup, value: number, done: Way = true) {
    const g = doc.groups[id]
    if (!g) return
    const v = Math.round(Math.min(Math.max(value, -10), 10) * 1000) / 1000
    make(done, `${g.name} trim ${stopsText(v)} st`, [replace(`/groups/${id}/trim`, v)])
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
  flag: (id: string, l: Light, field: 'twoSided', on: boolean, words: string) => setField(id, l, field, on, words),
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
  groupShift(id: string, doc: Setup, field: 'hue' | 'mired', v: number, done = true) {
    const ops: Op[] = [{ op: 'add', path: `/groups/${id}/${field}`, value: Math.round(v * 10) / 10 }]
    if (done) edit(`${doc.groups[id]?.name ?? ''} ${field === 'hue' ? `hue ${tidy(v)}°` : `${v < 0 ? '−' : '+'}${tidy(Math.abs(v))} mired`}`, ops)
    else draft(ops)
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
  groupOff(id: string, doc: Setup) {
    const g = doc.groups[id]
    if (g) edit(`${g.name} ${g.off ? 'on' : 'off'}`, [replace(`/groups/${id}/off`, !g.off)])
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
  /** create puts a new light where the eye looks: a third of the way to what is seen, or before it. */
  create(kind: Light['kind'], camera: Camera, target: V3) {
    const doc = now()
    if (!doc) return
    const chosen = useLook.getState().chosen
    const group = (chosen && doc.lights[chosen]?.group) || entries(doc.groups)[0]?.[0] || ''
    const name = freeName(doc, group, kindNames[kind])
    const id = free(doc.lights, name)
    const eye: V3 = camera.eye
    const position = add(eye, times([target[0] - eye[0], target[1] - eye[1], target[2] - eye[2]], 0.7)).map((v) => round(v, 0.001)) as V3
    const order = Math.max(0, ...Object.values(doc.lights).map((l) => l.order)) + 1
    const aim: V3 = kind === 'sun' ? [-0.4, -0.8, -0.45] : [target[0] - position[0], target[1] - position[1] - 0.001, target[2] - position[2]]
    const l: Light = {
      name, group, order, kind, output: kind === 'sun' ? 10000 : kind === 'sky' ? 200 : 800, stops: 0, colour: { kelvin: kind === 'sky' ? 7500 : kind === 'sun' ? 5200 : 3200 }, off: false,
      position, aim, roll: 0, radius: kind === 'disc' ? 0.25 : kind === 'point' || kind === 'spot' ? 0.04 : 0, width: kind === 'rect' ? 1 : 0, height: kind === 'rect' ? 0.6 : 0,
      angle: kind === 'sun' ? 0.53 : 0, length: kind === 'line' ? 1.2 : 0, inner: kind === 'spot' ? 20 : 0, outer: kind === 'spot' ? 32 : 0, range: kind === 'sun' || kind === 'sky' ? 0 : 8, shadow: true, shadowMap: kind === 'sun' ? 2048 : 512, carry: 'live', channels: 255,
    }
    edit(`New light ${name}`, [{ op: 'add', path: `/lights/${id}`, value: l }])
    choose(id)
    useLook.setState({ open: id })
  },
  remove(ids: string[]) {
    const doc = now()
    if (!doc) return
    const list = ids.filter((i) => doc.lights[i] && !lockedLight(doc, doc.lights[i] as Light))
    if (list.length === 0) {
      if (ids.length) say('Locked lights are not removed. Unlock them first (K).')
      return
    }
    const names = list.length === 1 ? doc.lights[list[0] ?? '']?.name : `${list.length} lights`
    edit(`${names} removed`, list.map((i) => ({ op: 'remove', path: `/lights/${i}` })))
    choose(null)
    useLook.setState({ open: null })
  },
  /** duplicate copies lights beside themselves, half a metre to the right in the view. */
  duplicate(ids: string[], camera: Camera | null) {
    const doc = now()
    const lights = doc ? ids.flatMap((i) => (doc.lights[i] ? [doc.lights[i] as Light] : [])) : []
    deeds.paste(lights, camera ? times(axes(camera.aim, camera.roll).right, 0.5) : [0.5, 0, 0], 'duplicated')
  },
  /** paste adds copies of lights, moved by an offset; their group is made if it is not here. */
  paste(lights: Light[], offset: V3, how = 'pasted') {
    const doc = now()
    if (!doc || lights.length === 0) return
    const ops: Op[] = []
    const taken: Record<string, unknown> = { ...doc.lights }
    const given: Record<string, string[]> = {}
    const ids: string[] = []
    for (const from of lights) {
      const group = doc.groups[from.group] ? from.group : ''
      const l = structuredClone(from)
      l.group = group
      l.name = freeName(doc, group, from.name, given[group])
      ;(given[group] ??= []).push(l.name)
      l.order = from.order + 0.001 * (ids.length + 1)
      if (placedKind(l.kind)) l.position = l.position.map((v, k) => round(v + (offset[k] ?? 0), 0.001)) as V3
      delete l.locked
      delete l.link
      const id = free(taken, l.name)
      taken[id] = l
      ids.push(id)
      ops.push({ op: 'add', path: `/lights/${id}`, value: l })
    }
    edit(`${lights.length === 1 ? lights[0]?.name : `${lights.length} lights`} ${how}`, ops)
    chooseAll(ids)
  },
  lock(ids: string[]) {
    const doc = now()
    if (!doc || ids.length === 0) return
    const on = ids.some((i) => !doc.lights[i]?.locked)
    edit(`${ids.length === 1 ? doc.lights[ids[0] ?? '']?.name : `${ids.length} lights`} ${on ? 'locked' : 'unlocked'}`, ids.filter((i) => doc.lights[i]).map((i) => ({ op: 'add', path: at(i, 'locked'), value: on })))
  },
  lockGroup(id: string, doc: Setup) {
    const g = doc.groups[id]
    if (g) edit(`${g.name} ${g.locked ? 'unlocked' : 'locked'}`, [{ op: 'add', path: `/groups/${id}/locked`, value: !g.locked }])
  },
  /** newGroup makes a group of the chosen lights. */
  newGroup(ids: string[]) {
    const doc = now()
    if (!doc) return
    const names = new Set(Object.values(doc.groups).map((g) => g.name))
    let name = 'New group'
    for (let n = 2; names.has(name); n++) name = `New group ${n}`
    const id = free(doc.groups, name)
    const order = Math.max(0, ...Object.values(doc.groups).map((g) => g.order)) + 1
    const g: Group = { name, order, trim: 0, off: false }
    const given: string[] = []
    const moved = ids.flatMap((i): Op[] => {
      const l = doc.lights[i]
      if (!l) return []
      const n = freeName({ ...doc, lights: {} }, id, l.name, given)
      given.push(n)
      return [replace(at(i, 'group'), id), ...(n === l.name ? [] : [replace(at(i, 'name'), n)])]
    })
    edit(`Group of ${ids.length} lights`, [{ op: 'add', path: `/groups/${id}`, value: g }, ...moved])
  },
  /** regroup puts lights into a group, before another light or at its end. */
  regroup(ids: string[], group: string, before: string | null) {
    const doc = now()
    if (!doc) return
    const members = entries(doc.lights).filter(([i, l]) => l.group === group && !ids.includes(i))
    const k = before ? members.findIndex(([i]) => i === before) : members.length
    const hi = members[k]?.[1].order ?? (members.at(-1)?.[1].order ?? 0) + 2
    const lo = members[k - 1]?.[1].order ?? hi - 2
    const given: string[] = []
    const ops = ids.flatMap((i, n): Op[] => {
      const l = doc.lights[i]
      if (!l) return []
      const name = l.group === group ? l.name : freeName(doc, group, l.name, given)
      given.push(name)
      return [replace(at(i, 'group'), group), replace(at(i, 'order'), lo + ((hi - lo) * (n + 1)) / (ids.length + 1)), ...(name === l.name ? [] : [replace(at(i, 'name'), name)])]
    })
    edit(`${ids.length === 1 ? doc.lights[ids[0] ?? '']?.name : `${ids.length} lights`} to ${doc.groups[group]?.name ?? 'no group'}`, ops)
  },
  /** nest puts a group into another, or at the top. */
  nest(id: string, parent: string) {
    const doc = now()
    if (!doc || id === parent || (parent && groupsOf(doc, parent).includes(doc.groups[id] as Group))) return
    edit(`${doc.groups[id]?.name} into ${doc.groups[parent]?.name ?? 'the top'}`, [{ op: 'add', path: `/groups/${id}/parent`, value: parent }])
  },
  /** ungroup takes a group away; what is in it goes where the group was. */
  ungroup(id: string) {
    const doc = now()
    const g = doc?.groups[id]
    if (!doc || !g) return
    const parent = g.parent ?? ''
    const given: string[] = []
    const ops = Object.entries(doc.lights).flatMap(([i, l]): Op[] => {
      if (l.group !== id) return []
      const name = freeName(doc, parent, l.name, given)
      given.push(name)
      return [replace(at(i, 'group'), parent), ...(name === l.name ? [] : [replace(at(i, 'name'), name)])]
    })
    for (const [k, q] of Object.entries(doc.groups)) if (q.parent === id) ops.push({ op: 'add', path: `/groups/${k}/parent`, value: parent })
    edit(`${g.name} dissolved`, [...ops, { op: 'remove', path: `/groups/${id}` }])
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
  renameGroup(id: string, doc: Setup, name: string) {
    const n = name.trim()
    const g = doc.groups[id]
    if (g && n && n !== g.name) edit(`${g.name} renamed ${n}`, [replace(`/groups/${id}/name`, n)])
  },
}
