import type { Group, RigAnswer, Setup } from '../../api.gen'
import { free, freeName } from '../../kernel/lightEdits'
import { chooseAll } from '../../kernel/look'
import type { V3 } from '../../kernel/camera'
import { draft, edit, useSetup, type Op } from '../../kernel/store'

/** now is the document that acts begin from: with what is on its way, without what is under the hand. */
const now = () => useSetup.getState().kept as Setup
const round = (v: number) => Math.round(v * 1000) / 1000

/** membersOf are the lights of a group. */
export const membersOf = (doc: Setup, group: string) => Object.entries(doc.lights).filter(([, l]) => l.group === group)

/** putOn adds a rig that the server has put on a figure. */
export function putOn(a: RigAnswer) {
  const doc = now()
  const names = new Set(Object.values(doc.groups).map((g) => g.name))
  const name = names.has(a.group.name) ? `${a.group.name}, ${a.figure}` : a.group.name
  let unique = name
  for (let n = 2; names.has(unique); n++) unique = `${name} ${n}`
  const group = free(doc.groups, unique)
  const order = Math.max(0, ...Object.values(doc.groups).map((g) => g.order)) + 1
  const taken: Record<string, unknown> = { ...doc.lights }
  const ids: string[] = []
  const ops: Op[] = [{ op: 'add', path: `/groups/${group}`, value: { ...a.group, name: unique, order } }]
  for (const l of a.lights) {
    const id = free(taken, `${unique} ${l.name}`)
    taken[id] = l
    ids.push(id)
    ops.push({ op: 'add', path: `/lights/${id}`, value: { ...l, group } })
  }
  edit(`${unique} on ${a.figure}`, ops)
  chooseAll(ids)
}

/** rigOf makes a rig of lights, round a figure. */
export function rigOf(ids: string[], a: RigAnswer) {
  const doc = now()
  const names = new Set(Object.values(doc.groups).map((g) => g.name))
  let name = `Rig, ${a.figure}`
  for (let n = 2; names.has(name); n++) name = `Rig, ${a.figure} ${n}`
  const group = free(doc.groups, name)
  const g: Group = { name, order: Math.max(0, ...Object.values(doc.groups).map((q) => q.order)) + 1, trim: 0, off: false, rig: a.group.rig }
  const given: string[] = []
  const ops: Op[] = [{ op: 'add', path: `/groups/${group}`, value: g }]
  for (const i of ids) {
    const l = doc.lights[i]
    if (!l || l.kind === 'sun' || l.kind === 'sky' || l.kind === 'emissive') continue
    const n = freeName({ ...doc, lights: {} }, group, l.name, given)
    given.push(n)
    ops.push({ op: 'replace', path: `/lights/${i}/group`, value: group })
    if (n !== l.name) ops.push({ op: 'replace', path: `/lights/${i}/name`, value: n })
  }
  if (ops.length === 1) return
  edit(`${name} of ${given.length} lights`, ops)
}

/** How a rig is moved as a whole. */
export type Whole = { turn: number } | { raise: number } | { scale: number }

/** wholeOps are the edits that turn (degrees), raise (metres) or scale (times) a rig about its pivot. */
export function wholeOps(doc: Setup, group: string, by: Whole): Op[] {
  const rig = doc.groups[group]?.rig
  if (!rig) return []
  const ops: Op[] = []
  const about = (p: V3, f: (d: V3) => V3): V3 => {
    const d: V3 = [p[0] - rig.pivot[0], p[1] - rig.pivot[1], p[2] - rig.pivot[2]]
    return f(d).map((v, k) => round(v + (rig.pivot[k] ?? 0))) as V3
  }
  const put = (id: string, field: string, value: unknown) => ops.push({ op: 'replace', path: `/lights/${id}/${field}`, value })
  const spin = (a: number) => (d: V3): V3 => {
    const s = Math.sin((a * Math.PI) / 180)
    const c = Math.cos((a * Math.PI) / 180)
    return [d[0] * c + d[2] * s, d[1], d[2] * c - d[0] * s]
  }
  for (const [id, l] of membersOf(doc, group)) {
    if ('turn' in by) {
      put(id, 'position', about(l.position, spin(by.turn)))
      put(id, 'aim', spin(by.turn)(l.aim).map((v) => Math.round(v * 1e5) / 1e5))
    } else if ('raise' in by) put(id, 'position', l.position.map((v, k) => (k === 1 ? round(v + by.raise) : v)))
    else put(id, 'position', about(l.position, (d) => [d[0] * by.scale, d[1] * by.scale, d[2] * by.scale]))
  }
  if ('turn' in by) ops.push({ op: 'replace', path: `/groups/${group}/rig/facing`, value: round((((rig.facing + by.turn + 540) % 360) + 360) % 360 - 180) })
  if ('raise' in by) ops.push({ op: 'replace', path: `/groups/${group}/rig/pivot`, value: [rig.pivot[0], round(rig.pivot[1] + by.raise), rig.pivot[2]] })
  return ops
}

export function whole(group: string, by: Whole, words: string, done: boolean) {
  const doc = now()
  const ops = wholeOps(doc, group, by)
  if (done) edit(`${doc.groups[group]?.name} ${words}`, ops)
  else draft(ops)
}

