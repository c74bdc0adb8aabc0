import { useMemo } from 'react'
import type { Setup } from '../../api.gen'
import { entries } from '../../kernel/store'
import { groupsOf } from '../../kernel/sums'
import { sorted, type Facts, type Sort } from './columns'
import type { Term } from './filter'

/** Item is a row of the Ledger: a group with its lights' ids, or a light. */
export type Item = { kind: 'group'; id: string; depth: number; members: string[] } | { kind: 'light'; id: string; depth: number }

/** useItems lists the rows: the lights that fit every term, under their groups or in the order of a sort. */
export function useItems(doc: Setup | null, terms: Term[], sort: Sort, closed: ReadonlySet<string>, factsOf: (id: string) => Facts): Item[] {
  return useMemo(() => {
    if (!doc) return []
    const visible = entries(doc.lights).filter(([id, l]) => {
      const f = factsOf(id)
      return terms.every((t) => t.fits(l, id, doc, { gives: f.gives?.share, cost: f.cost, notice: f.notice?.mean }))
    })
    if (sort !== 'order') return sorted(visible, sort, factsOf).map(([id]) => ({ kind: 'light', id, depth: 0 }))
    const out: Item[] = []
    const under = (parent: string, depth: number) => {
      for (const [id] of entries(doc.groups)) {
        if ((doc.groups[id]?.parent ?? '') !== parent) continue
        const inside = new Set([id])
        for (const [k] of Object.entries(doc.groups)) if (groupsOf(doc, k).includes(doc.groups[id] as never)) inside.add(k)
        const members = visible.filter(([, l]) => inside.has(l.group)).map(([i]) => i)
        if (terms.length > 0 && members.length === 0) continue
        out.push({ kind: 'group', id, depth, members })
        if (closed.has(id)) continue
        under(id, depth + 1)
        for (const [i, l] of visible) if (l.group === id) out.push({ kind: 'light', id: i, depth })
      }
    }
    under('', 0)
    for (const [i, l] of visible) if (!doc.groups[l.group]) out.push({ kind: 'light', id: i, depth: 0 })
    return out
  }, [doc, terms, sort, closed, factsOf])
}

/** groupOver is the row of the group that a row belongs to, or -1: what stays in sight while its lights scroll under it. */
export function groupOver(items: Item[], at: number): number {
  const item = items[at]
  if (!item || item.kind === 'group') return -1
  for (let i = at - 1; i >= 0; i--) if (items[i]?.kind === 'group' && (items[i] as Item).depth <= item.depth) return i
  return -1
}

/** beside is where a light goes that is moved by one row: before which light of which group, or null where there is no row. */
export function beside(items: Item[], at: number, by: 1 | -1, groupOf: (id: string) => string): { group: string; before: string | null } | null {
  const me = items[at]
  const next = items[at + by]
  if (!me || !next) return null
  // Past a group's name it comes into that group; upwards past its own, to the end of what is over it.
  if (next.kind === 'group') {
    if (by === 1) {
      const first = items[at + 2]
      return { group: next.id, before: first?.kind === 'light' && groupOf(first.id) === next.id ? first.id : null }
    }
    const over = items[at - 2]
    if (!over) return null
    return { group: over.kind === 'group' ? over.id : groupOf(over.id), before: null }
  }
  if (by === -1) return { group: groupOf(next.id), before: next.id }
  const after = items[at + 2]
  return { group: groupOf(next.id), before: after?.kind === 'light' && groupOf(after.id) === groupOf(next.id) ? after.id : null }
}
