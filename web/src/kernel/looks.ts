import type { Grade, Look, Override, Setup, Zone } from '../api.gen'
import { mixGrades } from './gradeMix'
import { own } from './locks'
import type { Op } from './state'

/** step reads a key of a JSON pointer, key writes one. */
const read = (k: string) => k.replace(/~1/g, '/').replace(/~0/g, '~')
export const escaped = (k: string) => k.replace(/~/g, '~0').replace(/\//g, '~1')
const keysOf = (path: string) => path.slice(1).split('/').map(read)

/** valueAt is what a document has at a pointer; undefined where there is nothing. */
export function valueAt(doc: unknown, path: string): unknown {
  let v: unknown = doc
  for (const k of keysOf(path)) {
    if (v === null || typeof v !== 'object') return undefined
    v = (v as Record<string, unknown>)[k]
  }
  return v
}

/** holder is what a place of the document lies in; undefined where that is not there. */
function holder(doc: Setup, path: string): Record<string, unknown> | undefined {
  const at = path.lastIndexOf('/')
  const v = at > 0 ? valueAt(doc, path.slice(0, at)) : doc
  return v !== null && typeof v === 'object' ? (v as Record<string, unknown>) : undefined
}

const warmest = 25000 // K: as the server holds it

/** overridden is the value that an override gives a place. */
function overridden(o: Override, now: unknown): unknown {
  if (o.set !== undefined) return o.set
  const v = typeof now === 'number' ? now : 0
  if (o.stops !== undefined) return v + o.stops
  if (o.times !== undefined) return v * o.times
  if (o.mired !== undefined && v > 0) return 1e6 / Math.max(1e6 / v + o.mired, 1e6 / warmest)
  return now
}

/** put sets a place of a document; copies what lies on the way, so that the rest is shared. */
function put(doc: Setup, path: string, value: unknown): Setup {
  const keys = keysOf(path)
  const out = { ...doc } as Record<string, unknown>
  let at = out
  for (const k of keys.slice(0, -1)) {
    const next = at[k]
    const copy = Array.isArray(next) ? [...(next as unknown[])] : { ...(next as Record<string, unknown>) }
    at[k] = copy
    at = copy as unknown as Record<string, unknown>
  }
  const last = keys[keys.length - 1] as string
  if (value === null || value === undefined) Reflect.deleteProperty(at, last)
  else at[last] = value
  return out as unknown as Setup
}

/** worn is a document with the look that it says, as the server shows it. Its overrides stay, so that it can still be told what comes of it. */
export function worn(doc: Setup): Setup {
  const look = doc.look ? doc.looks[doc.look] : undefined
  return zoned(look ? dressed(doc, look) : doc)
}

/** zoned gives views that take their exposure from zones theirs. */
function zoned(doc: Setup): Setup {
  if (!Object.values(doc.views).some((v) => v.zoned)) return doc
  return { ...doc, views: Object.fromEntries(Object.entries(doc.views).map(([id, v]) => [id, v.zoned ? { ...v, ev: inZones(doc.zones, v.eye, v.ev).ev } : v])) }
}

/** weightOf is how much a zone holds at a place. */
export function weightOf(z: Zone, p: readonly number[]): number {
  if (z.off) return 0
  let d2 = 0
  for (let k = 0; k < 3; k++) {
    const size = z.size[k] ?? 0
    const d = size === 0 ? 0 : Math.abs((p[k] ?? 0) - (z.position[k] ?? 0)) - size / 2
    if (d > 0) d2 += d * d
  }
  const d = Math.sqrt(d2)
  return d === 0 ? 1 : d >= z.blend ? 0 : 1 - d / z.blend
}

/** inZones is the exposure at a place, and the zone that has most of it. */
export function inZones(zones: Record<string, Zone>, p: readonly number[], held: number): { ev: number; zone: string } {
  let ev = held
  let zone = ''
  for (const [id, z] of sorted(zones)) {
    const w = weightOf(z, p)
    if (w >= 0.5) zone = id
    ev += w * (z.ev - ev)
  }
  return { ev, zone }
}

/** gradeOf is what is done to the colours of a view's picture: that of its zones, where it goes by them. */
export function gradeOf(doc: Setup, view: string): Grade | undefined {
  const v = doc.views[view]
  if (!v?.zoned) return doc.grade
  let g = doc.grade
  for (const [, z] of sorted(doc.zones)) if (z.grade) g = mixGrades(g, z.grade, weightOf(z, v.eye))
  return g
}

/** sorted are zones, those that are laid over others last. */
const sorted = (zones: Record<string, Zone>) => Object.entries(zones).sort((a, b) => a[1].precedence - b[1].precedence || (a[0] < b[0] ? -1 : 1))

/** dressed is a document with a look's overrides. */
function dressed(doc: Setup, look: Look): Setup {
  let out = doc
  for (const path of Object.keys(look.overrides).sort()) {
    const o = look.overrides[path] as Override
    if (!holder(out, path)) continue
    const value = overridden(o, valueAt(out, path))
    for (const p of [path, ...twins(doc, path)]) if (holder(out, p)) out = put(out, p, value)
  }
  return out
}

/** twins are the places of the value in lights that are linked. */
function twins(doc: Setup, path: string): string[] {
  const [list, id = '', field = '', ...rest] = keysOf(path)
  const link = list === 'lights' ? doc.lights[id]?.link : undefined
  if (!link || own.has(field)) return []
  return Object.keys(doc.lights).filter((i) => i !== id && doc.lights[i]?.link === link).map((i) => ['', 'lights', i, field, ...rest].map(escaped).join('/'))
}

const never = new Set(['name', 'group', 'order', 'locked', 'link', 'kind', 'role', 'parent', 'rig', 'material'])

/** mayDiffer tells the places that a look may have otherwise than the setup. */
export function mayDiffer(base: Setup, path: string): boolean {
  const k = keysOf(path)
  switch (k[0]) {
    case 'lights':
    case 'groups':
      return k.length > 2 && Boolean(base[k[0]][k[1] as string]) && !never.has(k[2] as string)
    case 'views':
      return k[2] === 'ev' && Boolean(base.views[k[1] as string])
    case 'fog':
    case 'aerial':
    case 'grade':
    case 'day':
    case 'curve':
    case 'time':
      return true
    case 'materials':
      return k.length > 2 && Boolean(base.materials[k[1] as string])
  }
  return false
}

const close = (a: unknown, b: unknown) => (typeof a === 'number' && typeof b === 'number' ? Math.abs(a - b) < 1e-9 : JSON.stringify(a) === JSON.stringify(b))
const tidy = (v: number) => Math.round(v * 1e6) / 1e6

/** told is the override that makes a value of the setup's: a change where that can be said as one. */
function told(path: string, base: unknown, value: unknown): Override {
  if (typeof base === 'number' && typeof value === 'number') {
    if (/^\/lights\/[^/]+\/stops$|^\/groups\/[^/]+\/trim$/.test(path)) return { stops: tidy(value - base) }
    if (path === '/fog/visibility' && base > 0) return { times: tidy(value / base) }
  }
  return { set: value ?? null }
}

/** parted takes an operation on fog, grade or day apart, field by field, where the setup has one too. */
function parted(base: Setup, o: Op): Op[] {
  const whole = valueAt(base, o.path)
  if (!/^\/(fog|grade)$/.test(o.path) || o.op === 'remove' || !whole || typeof o.value !== 'object' || o.value === null) return [o]
  const value = o.value as Record<string, unknown>
  return [...new Set([...Object.keys(value), ...Object.keys(whole)])].map((k) => ({ op: 'add', path: `${o.path}/${escaped(k)}`, value: value[k] }))
}

/** routed sends edits to the look that is worn (alone), or to the setup and with it to every look. What no look can have otherwise goes to the setup. */
export function routed(base: Setup, ops: Op[], alone: boolean): Op[] {
  const id = base.look ?? ''
  const look: Look | undefined = base.looks[id]
  if (!look) return ops
  const at = (path: string) => `/looks/${escaped(id)}/overrides/${escaped(path)}`
  return ops.flatMap((o): Op[] => {
    if (!mayDiffer(base, o.path)) return [o]
    const within = Object.keys(look.overrides).filter((p) => p === o.path || p.startsWith(o.path + '/'))
    // What the look has otherwise would hide the setup's.
    if (!alone) return [...within.map((p): Op => ({ op: 'remove', path: at(p) })), o]
    const out: Op[] = []
    // What the look has whole stays whole: field by field, one change would undo the other.
    for (const q of look.overrides[o.path] ? [o] : parted(base, o)) {
      const had = Object.keys(look.overrides).filter((p) => p === q.path || p.startsWith(q.path + '/'))
      const above = Object.keys(look.overrides).find((p) => q.path.startsWith(p + '/'))
      const value = q.op === 'remove' ? undefined : q.value
      if (above !== undefined) {
        // The look has all of what the place lies in: that changes with it.
        const all = structuredClone(look.overrides[above]?.set) as Setup
        out.push({ op: 'add', path: at(above), value: { set: put(all, q.path.slice(above.length), value) } })
      } else if (close(valueAt(base, q.path), value)) {
        out.push(...had.map((p): Op => ({ op: 'remove', path: at(p) })))
      } else {
        out.push(...had.filter((p) => p !== q.path).map((p): Op => ({ op: 'remove', path: at(p) })), { op: 'add', path: at(q.path), value: told(q.path, valueAt(base, q.path), value) })
      }
    }
    return out
  })
}
