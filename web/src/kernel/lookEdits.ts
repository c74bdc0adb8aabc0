import type { Look, Override, Setup } from '../api.gen'
import { escaped } from './looks'
import { draft, edit, entries, set, useSetup, type Op } from './store'
import { goes } from './state'
import { free } from './together'

const bare = () => useSetup.getState().bare

/** baseName is what the setup is called without a look. */
export const baseName = (doc: Setup | null) => doc?.base || 'As it is'

/** lookName is the name of a look, or of the setup without one. */
export const lookName = (doc: Setup | null, id: string) => (id ? (doc?.looks[id]?.name ?? id) : baseName(doc))

/** wear shows a look; none shows the setup without one. */
export function wear(id: string) {
  const doc = bare()
  if (!doc || (doc.look ?? '') === id) return
  edit(`Look: ${lookName(doc, id)}`, [{ op: 'add', path: '/look', value: id }])
}

/** nextLook shows the next look. */
export function nextLook() {
  const doc = bare()
  if (!doc) return
  const all = ['', ...entries(doc.looks).map(([id]) => id)]
  wear(all[(all.indexOf(doc.look ?? '') + 1) % all.length] ?? '')
}

/** changesGo says where edits go: to the look that is worn, or to every look. */
export function changesGo(alone: boolean) {
  sessionStorage.setItem(goes, alone ? 'alone' : 'all')
  set({ alone })
}

/** put makes, or replaces, a look and shows it. */
function put(id: string, look: Look, label: string) {
  edit(label, [{ op: 'add', path: `/looks/${escaped(id)}`, value: look }, { op: 'add', path: '/look', value: id }])
}

/** newLook makes a look of what is shown: with what the one that is worn has otherwise, and nothing where none is. */
export function newLook(name: string, overrides?: Record<string, Override>) {
  const doc = bare()
  if (!doc) return
  const order = Math.max(0, ...Object.values(doc.looks).map((l) => l.order)) + 1
  put(free(doc.looks, name), { name, order, overrides: overrides ?? structuredClone(doc.looks[doc.look ?? '']?.overrides ?? {}) }, `Look “${name}” made`)
}

/** branchLook makes another look that begins as one is. */
export function branchLook(id: string) {
  const l = bare()?.looks[id]
  if (l) newLook(nameLike(l.name), structuredClone(l.overrides))
}

/** nameLike finds a name that no look has yet. */
function nameLike(name: string): string {
  const names = new Set(Object.values(bare()?.looks ?? {}).map((l) => l.name))
  let out = name
  for (let n = 2; names.has(out); n++) out = `${name} ${n}`
  return out
}

/** renameLook names a look, or what the setup is called without one. */
export function renameLook(id: string, name: string) {
  edit(`Look “${name}” named`, [id ? { op: 'replace', path: `/looks/${escaped(id)}/name`, value: name } : { op: 'add', path: '/base', value: name }])
}

/** removeLook takes a look away; one that is worn is taken off. */
export function removeLook(id: string) {
  const doc = bare()
  if (!doc?.looks[id]) return
  const off: Op[] = doc.look === id ? [{ op: 'add', path: '/look', value: '' }] : []
  edit(`Look “${doc.looks[id].name}” removed`, [...off, { op: 'remove', path: `/looks/${escaped(id)}` }])
}

/** giveBack takes an override out of the look that is worn. */
export function giveBack(path: string, words: string) {
  const doc = bare()
  if (doc?.look) edit(words, [{ op: 'remove', path: `/looks/${escaped(doc.look)}/overrides/${escaped(path)}` }])
}

/** between is the look that a blend is tried in. */
const between = 'between'

/** tryBlend shows overrides as a look, without keeping them. */
export function tryBlend(name: string, overrides: Record<string, Override>) {
  draft([
    { op: 'add', path: `/looks/${between}`, value: { name, order: 1e6, overrides } },
    { op: 'add', path: '/look', value: between },
  ])
}

/** shiftAll shifts hue or warmth of all groups that lie in none. */
export function shiftAll(field: 'hue' | 'mired', by: number, done: boolean) {
  const groups = Object.entries(useSetup.getState().kept?.groups ?? {}).filter(([, g]) => !g.parent)
  const ops = groups.map(([id, g]): Op => ({ op: 'add', path: `/groups/${escaped(id)}/${field}`, value: Math.round(((g[field] ?? 0) + by) * 10) / 10 }))
  if (ops.length === 0) return
  if (done) edit(field === 'hue' ? `All groups ${by.toFixed(0)}° round` : `All groups ${Math.abs(by).toFixed(0)} mired ${by > 0 ? 'warmer' : 'cooler'}`, ops)
  else draft(ops)
}
