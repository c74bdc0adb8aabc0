import type { Light, Setup } from '../api.gen'
import type { Op } from './state'
import { groupsOf } from './sums'

/** lockedLight tells the lights that nothing changes until they are unlocked: by themselves, or by a group they lie in. */
export const lockedLight = (doc: Setup, l: Light) => Boolean(l.locked) || groupsOf(doc, l.group).some((g) => g.locked)

/** own are the fields that linked lights do not share. */
export const own = new Set<string>(['name', 'group', 'order', 'off', 'locked', 'position', 'aim', 'roll'])

/** holds names what a lock keeps an operation from, or returns nothing. */
function holds(doc: Setup, o: Op): string | undefined {
  const [, list, id = '', field] = o.path.split('/')
  if (field === 'locked') return undefined
  if (list === 'groups') {
    const g = doc.groups[id]
    if (!g || field === 'order') return undefined
    return groupsOf(doc, id).find((q) => q.locked)?.name
  }
  if (list !== 'lights') return undefined
  const l = doc.lights[id]
  if (!l) return undefined
  if (lockedLight(doc, l)) return l.name
  // What linked lights share cannot change in one of them alone.
  if (!l.link || own.has(field ?? '') || field === undefined || field === 'link') return undefined
  return Object.values(doc.lights).find((q) => q.link === l.link && lockedLight(doc, q))?.name
}

/** allowed leaves out of an edit what locks forbid, wherever the edit comes from. An edit that also makes or takes away
 * groups is forbidden whole: half of it would be another. locked names what held. */
export function allowed(doc: Setup, ops: Op[]): { ops: Op[]; locked: string[] } {
  const names = new Set<string>()
  const free = ops.filter((o) => {
    const name = holds(doc, o)
    if (name !== undefined) names.add(name)
    return name === undefined
  })
  const whole = names.size > 0 && free.some((o) => o.op !== 'replace' && /^\/groups\/[^/]+$/.test(o.path))
  return { ops: whole ? [] : free, locked: [...names] }
}
