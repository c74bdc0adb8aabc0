import type { Backdrop, Light, Material, Setup, StageFacts, Surface, Thing, Object as Placed } from '../api.gen'
import { free, freeName, replace } from './lightEdits'
import { choose } from './look'
import { tidy } from './number'
import type { V3 } from './camera'
import { draft, edit, say, useSetup, type Op } from './store'
import { luminance } from './sums'

/** now is the document that acts begin from: with what is on its way, without what is under the hand. */
const now = () => useSetup.getState().kept as Setup

/** entryOf is what the setup says of exactly this path. */
export const entryOf = (doc: Setup, path: string): [string, Placed] | undefined => Object.entries(doc.objects ?? {}).find(([, o]) => o.path === path)

/** saidOf is what the setup says of a path, by itself or by the nearest node above it. */
export function saidOf(doc: Setup, path: string): Placed | undefined {
  let best: Placed | undefined
  for (const o of Object.values(doc.objects ?? {})) {
    if ((path === o.path || path.startsWith(`${o.path}/`)) && (!best || o.path.length > best.path.length)) best = o
  }
  return best
}

/** baseOf is the middle of the ground under all that lies at or under a path. */
export function baseOf(things: Thing[], path: string): V3 {
  const lo: V3 = [Infinity, Infinity, Infinity]
  const hi: V3 = [-Infinity, -Infinity, -Infinity]
  for (const t of things) {
    if (t.path !== path && !t.path.startsWith(`${path}/`)) continue
    for (let k = 0; k < 3; k++) {
      lo[k] = Math.min(lo[k] as number, t.lo[k] as number)
      hi[k] = Math.max(hi[k] as number, t.hi[k] as number)
    }
  }
  return Number.isFinite(lo[0]) ? [(lo[0] + hi[0]) / 2, lo[1], (lo[2] + hi[2]) / 2] : [0, 0, 0]
}

const last = (path: string) => path.split('/').at(-1) ?? path

/** channelsOf are the channels that may light what lies at a path: those of the nearest node that says so. */
export function channelsOf(doc: Setup, path: string): number {
  let best: Placed | undefined
  for (const o of Object.values(doc.objects ?? {})) {
    if (typeof o.channels === 'number' && (path === o.path || path.startsWith(`${o.path}/`)) && (!best || o.path.length > best.path.length)) best = o
  }
  return best?.channels ?? 255
}

/** changeOps are the edits that set some of what the setup says of a path; what says nothing any more is taken out. */
export function changeOps(doc: Setup, path: string, part: Partial<Placed>, things: Thing[]): Op[] {
  const found = entryOf(doc, path)
  const ops: Op[] = []
  const before: Placed = found?.[1] ?? { path, offset: [0, 0, 0], pivot: baseOf(things, path), turn: 0 }
  const after = { ...before, ...part }
  const idle = !after.name && (!after.part || after.part === 'static') && !after.hidden && !after.locked && !after.turn && after.offset.every((v) => v === 0) && typeof after.channels !== 'number'
  if (!found) {
    if (idle) return []
    ops.push({ op: 'add', path: `/objects/${free(doc.objects ?? {}, last(path))}`, value: after })
  } else if (idle) ops.push({ op: 'remove', path: `/objects/${found[0]}` })
  else for (const [k, v] of Object.entries(part)) ops.push({ op: 'add', path: `/objects/${found[0]}/${k}`, value: v ?? null })
  return ops
}

/** change makes those edits, or only shows them. */
export function change(path: string, part: Partial<Placed>, words: string, things: Thing[], done = true) {
  const doc = now()
  const ops = changeOps(doc, path, part, things)
  if (done) {
    if (ops.length) edit(`${part.name || entryOf(doc, path)?.[1].name || last(path)} ${words}`, ops)
  } else draft(ops)
}

/** figureOf is the path of the figure an object belongs to: its topmost node, where that is no larger than a figure, else the object itself. */
export function figureOf(things: Thing[], t: Thing): string {
  const top = t.path.split('/')[0] ?? t.path
  const all = things.filter((o) => o.path === top || o.path.startsWith(`${top}/`))
  const size = Math.hypot(...[0, 1, 2].map((k) => Math.max(...all.map((o) => o.hi[k] ?? 0)) - Math.min(...all.map((o) => o.lo[k] ?? 0))))
  return size < 6 ? top : t.path
}

/** helper makes a light that lights what is round its bearer but not the bearer, and casts no shadow, in one edit. */
export function helper(path: string, things: Thing[]) {
  const name = last(path)
  const doc = now()
  const base = baseOf(things, path)
  const top = Math.max(...things.filter((t) => t.path === path || t.path.startsWith(`${path}/`)).map((t) => t.hi[1]))
  // A channel that keeps something out already serves; else one that nothing is told apart by yet.
  const own = channelsOf(doc, path)
  const used = (n: number) => Object.values(doc.objects ?? {}).some((o) => typeof o.channels === 'number' && !(o.channels & (1 << n))) || Object.values(doc.lights).some((l) => l.channels === 1 << n) || Boolean(doc.channels?.[n + 1]?.name)
  let n = [7, 6, 5, 4, 3, 2, 1, 0].find((k) => !(own & (1 << k)) && Object.values(doc.lights).some((l) => l.channels === 1 << k))
  n ??= [7, 6, 5, 4, 3, 2, 1, 0].find((k) => !used(k))
  if (n === undefined) {
    say('All eight channels are in use: free one first, under Who lights whom.')
    return
  }
  const ops: Op[] = changeOps(doc, path, { channels: own & ~(1 << n) }, things)
  if (!doc.channels?.[n + 1]?.name) ops.push({ op: 'add', path: `/channels/${n + 1}`, value: { name: `All but ${name}`.slice(0, 40) } })
  const group = Object.entries(doc.groups).find(([, g]) => g.name.toLowerCase() === name.toLowerCase())?.[0] ?? Object.keys(doc.groups)[0] ?? ''
  const called = freeName(doc, group, `Helper, ${name}`)
  const id = free(doc.lights, called)
  const r = (v: number) => Math.round(v * 1000) / 1000
  const light: Light = {
    name: called, group, order: Math.max(0, ...Object.values(doc.lights).map((l) => l.order)) + 1, kind: 'point', role: 'fill', output: 200, stops: 0, colour: { kelvin: 3600 }, off: false,
    position: [r(base[0]), r(base[1] + 0.75 * (top - base[1])), r(base[2])], aim: [0, -1, 0], roll: 0, radius: 0.1, width: 0, height: 0, angle: 0, inner: 0, outer: 0, range: 5, shadow: false, shadowMap: 0, carry: 'live', channels: 1 << n,
  }
  ops.push({ op: 'add', path: `/lights/${id}`, value: light })
  edit(`Helper light for ${name}`, ops)
  choose(id)
}

/** paint changes a material for this setup; null gives the file's value back. */
export function paint(surface: Surface, part: { [K in keyof Omit<Material, 'name'>]?: Material[K] | null }, words: string, done = true) {
  const doc = now()
  const found = Object.entries(doc.materials ?? {}).find(([, m]) => m.name === surface.name)
  const ops: Op[] = []
  const after: Record<string, unknown> = { ...(found?.[1] ?? { name: surface.name }) }
  for (const [k, v] of Object.entries(part)) {
    if (v === null) delete after[k]
    else after[k] = v
  }
  if (Object.keys(after).length === 1) {
    if (!found) return
    ops.push({ op: 'remove', path: `/materials/${found[0]}` })
  } else ops.push({ op: found ? 'replace' : 'add', path: `/materials/${found?.[0] ?? free(doc.materials ?? {}, surface.name)}`, value: after })
  // A surface that begins to shine needs a light of its own, or it lights nothing.
  const shines = part.emission && part.emission.some((v) => v > 0)
  if (done && shines && !Object.values(doc.lights).some((l) => l.kind === 'emissive' && l.material === surface.name)) {
    const y = luminance(part.emission ?? [0, 0, 0])
    ops.push({ op: 'add', path: `/lights/${free(doc.lights, surface.name)}`, value: shining(doc, surface.name, Math.max(y, 1), part.emission as V3) })
  }
  if (done) edit(`${surface.name} ${words}`, ops)
  else draft(ops)
}

/** shining is the light of a surface that shines by itself, of so many cd/m2. */
export function shining(doc: Setup, material: string, output: number, rgb: V3): Light {
  const group = Object.keys(doc.groups)[0] ?? ''
  const taken = new Set(Object.values(doc.lights).filter((l) => l.group === group).map((l) => l.name))
  let name = material
  for (let n = 2; taken.has(name); n++) name = `${material} ${n}`
  const order = Math.max(0, ...Object.values(doc.lights).map((l) => l.order)) + 1
  return {
    name, group, order, kind: 'emissive', output, stops: 0, colour: { rgb }, off: false, position: [0, 0, 0], aim: [0, -1, 0],
    roll: 0, radius: 0, width: 0, height: 0, angle: 0, inner: 0, outer: 0, range: 0, shadow: true, shadowMap: 0, carry: 'baked', channels: 255, material,
  }
}

/** addBackdrop puts a sweep behind a figure, facing the eye. */
export function addBackdrop(at: V3, height: number, eye: V3, figure: string) {
  const doc = now()
  const names = new Set(Object.values(doc.backdrops ?? {}).map((b) => b.name))
  let name = `Sweep behind ${figure}`.slice(0, 70)
  for (let n = 2; names.has(name); n++) name = `Sweep behind ${figure} ${n}`
  const facing = (Math.atan2(eye[0] - at[0], eye[2] - at[2]) * 180) / Math.PI
  const h = Math.max(height * 1.8, 2)
  const d = h * 1.3
  // The figure stands a third into it.
  const f = (facing * Math.PI) / 180
  const r = (v: number) => Math.round(v * 1000) / 1000
  const b: Backdrop = { name, position: [r(at[0] + Math.sin(f) * d * 0.35), r(at[1]), r(at[2] + Math.cos(f) * d * 0.35)], facing: r(facing), width: r(h * 2), depth: r(d), height: r(h), curve: r(h * 0.35), colour: [0.18, 0.18, 0.18], roughness: 0.9 }
  const ops: Op[] = []
  edit(`${name} put in`, [...ops, { op: 'add', path: `/backdrops/${free(doc.backdrops ?? {}, name)}`, value: b }])
}

export function backdrop(id: string, b: Backdrop, part: Partial<Backdrop>, done = true) {
  const next = { ...b, ...part }
  if (!next.card) next.curve = Math.min(next.curve, next.depth, next.height)
  const ops = [replace(`/backdrops/${id}`, next)]
  if (done) edit(`${b.name} changed`, ops)
  else draft(ops)
}

/** removeBackdrop takes a sweep away; a card goes with its light. */
export function removeBackdrop(id: string, b: Backdrop) {
  const lights = b.card ? Object.entries(now().lights).filter(([, l]) => l.kind === 'emissive' && l.material === b.name) : []
  edit(`${b.name} taken away`, [{ op: 'remove', path: `/backdrops/${id}` }, ...lights.map(([k]): Op => ({ op: 'remove', path: `/lights/${k}` }))])
}

/** scrub sets the time of the place's animations. */
export function scrub(seconds: number, facts: StageFacts, done: boolean) {
  const t = Math.round(Math.min(Math.max(seconds, 0), facts.duration) * 1000) / 1000
  const ops: Op[] = [{ op: 'add', path: '/time', value: t }]
  if (done) edit(`Time ${tidy(t)} s`, ops)
  else draft(ops)
}

export interface TreeNode {
  path: string
  name: string
  depth: number
  things: number[]
  triangles: number
}

/** tree lists the nodes of the file's hierarchy, parents before children, with the objects under each. */
export function tree(things: Thing[]): TreeNode[] {
  const nodes = new Map<string, TreeNode>()
  things.forEach((t, i) => {
    const parts = t.path.split('/')
    for (let d = 1; d <= parts.length; d++) {
      const path = parts.slice(0, d).join('/')
      const n = nodes.get(path) ?? { path, name: parts[d - 1] ?? '', depth: d - 1, things: [], triangles: 0 }
      n.things.push(i)
      n.triangles += t.triangles
      nodes.set(path, n)
    }
  })
  return [...nodes.values()].sort((a, b) => compare(a.path.split('/'), b.path.split('/')))
}

function compare(a: string[], b: string[]): number {
  for (let i = 0; i < Math.max(a.length, b.length); i++) {
    const x = a[i]
    const y = b[i]
    if (x === undefined) return -1
    if (y === undefined) return 1
    if (x !== y) return x.localeCompare(y, undefined, { numeric: true })
  }
  return 0
}
