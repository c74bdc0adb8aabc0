import type { Light, Setup } from '../api.gen'
import { useLook } from './look'
import { lockedLight, own } from './locks'
import { draft, edit, hold, useSetup, type Op } from './store'

/** at is the place of a light's field in the document. */
export const at = (id: string, field: string) => `/lights/${id}/${field}`

/** replace is the op that gives a place of the document another value. */
export const replace = (path: string, value: unknown): Op => ({ op: 'replace', path, value })

/** now is the document that edits begin from: with what is on its way, without what is under the hand. */
export const now = () => useSetup.getState().kept

/** How far an edit has come: shown only, held by a key that may go on, or done. */
export type Way = boolean | 'held'

/** make shows ops, or keeps them, with the words that undo will show. */
export const make = (way: Way, label: string, ops: Op[]) => {
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

/** named tells lights by name or number. */
export const named = (list: [string, Light][]) => (list.length === 1 ? (list[0]?.[1].name ?? '') : `${list.length} lights`)

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

/** began is a light as an edit begins from it. */
export const began = (id: string) => now()?.lights[id]

/** placedKind tells the kinds of light that stand somewhere. */
export const placedKind = (k: Light['kind']) => k !== 'sky' && k !== 'sun' && k !== 'emissive'

/** round rounds to steps. */
export const round = (v: number, to: number) => Math.round(v / to) * to
