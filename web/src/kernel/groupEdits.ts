import type { Group, Setup } from '../api.gen'
import { stopsText, tidy } from './number'
import { draft, edit, entries, type Op } from './store'
import { groupsOf } from './sums'
import { at, free, freeName, make, now, replace, type Way } from './together'

/** groupEdits are the edits of groups of lights, with the words that undo will show. */
export const groupEdits = {
  trim(id: string, doc: Setup, value: number, done: Way = true) {
    const g = doc.groups[id]
    if (!g) return
    const v = Math.round(Math.min(Math.max(value, -10), 10) * 1000) / 1000
    make(done, `${g.name} trim ${stopsText(v)} st`, [replace(`/groups/${id}/trim`, v)])
  },
  groupShift(id: string, doc: Setup, field: 'hue' | 'mired', v: number, done = true) {
    const ops: Op[] = [{ op: 'add', path: `/groups/${id}/${field}`, value: Math.round(v * 10) / 10 }]
    if (done) edit(`${doc.groups[id]?.name ?? ''} ${field === 'hue' ? `hue ${tidy(v)}°` : `${v < 0 ? '−' : '+'}${tidy(Math.abs(v))} mired`}`, ops)
    else draft(ops)
  },
  groupOff(id: string, doc: Setup) {
    const g = doc.groups[id]
    if (g) edit(`${g.name} ${g.off ? 'on' : 'off'}`, [replace(`/groups/${id}/off`, !g.off)])
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
  renameGroup(id: string, doc: Setup, name: string) {
    const n = name.trim()
    const g = doc.groups[id]
    if (g && n && n !== g.name) edit(`${g.name} renamed ${n}`, [replace(`/groups/${id}/name`, n)])
  },

}
