import type { Cost, Light, Notice } from '../api.gen'
import type { Gives } from '../setup/sums'

/** A column that can be shown in the Ledger besides name and stops. */
export interface Column {
  id: string
  name: string
  width: number
  says: string
}

export const columns: Column[] = [
  { id: 'gives', name: 'gives', width: 52, says: 'share of the picture’s light' },
  { id: 'costs', name: 'costs', width: 36, says: 'milliseconds at the target' },
  { id: 'mb', name: 'MB', width: 34, says: 'memory of its shadow maps' },
  { id: 'notice', name: 'notice', width: 62, says: 'how much an eye would notice it gone: mean and 95th percentile of the colour difference' },
  { id: 'output', name: 'output', width: 62, says: 'the lamp’s nominal output' },
  { id: 'warmth', name: 'warmth', width: 46, says: 'colour temperature' },
  { id: 'range', name: 'range', width: 40, says: 'metres' },
  { id: 'role', name: 'role', width: 58, says: 'what it is for' },
  { id: 'carry', name: 'carry', width: 36, says: 'baked, split or live' },
]

const place = 'willowherb.columns'

export function storedColumns(): string[] {
  try {
    const v = JSON.parse(localStorage.getItem(place) ?? '') as unknown
    if (Array.isArray(v)) return v.filter((id): id is string => columns.some((c) => c.id === id))
  } catch {
    /* none stored */
  }
  return ['gives', 'costs', 'carry']
}

export const storeColumns = (ids: string[]) => localStorage.setItem(place, JSON.stringify(ids))

/** What a name has at least, and what a row needs besides its columns, in pixels. */
export const leastName = 70
const restOfRow = 18 + leastName + 54 + 34 + 48 + 30

/** fitting are the shown columns that have room at a width of the Ledger, in their order: those that were chosen last go first. */
export function fitting(shown: string[], width: number): Column[] {
  let room = width - restOfRow
  const kept = shown.filter((id) => {
    room -= (columns.find((c) => c.id === id)?.width ?? 0) + 4
    return room >= 0
  })
  return columns.filter((c) => kept.includes(c.id))
}

/** needed is the width at which all of the shown columns have room. */
export const needed = (shown: string[]) => restOfRow + columns.filter((c) => shown.includes(c.id)).reduce((a, c) => a + c.width + 4, 0)

/** What a row needs to know of its light. */
export interface Facts {
  gives?: Gives
  cost?: Cost
  notice?: Notice
}

export type Sort = 'order' | 'gives' | 'costs' | 'worth' | 'name'

/** sorted orders lights for a sort key: what gives or costs most first, or what gives least for its cost. */
export function sorted(list: [string, Light][], by: Sort, facts: (id: string) => Facts): [string, Light][] {
  if (by === 'order') return list
  const value = (id: string) => {
    const f = facts(id)
    const g = f.gives?.share ?? 0
    const c = f.cost?.ms ?? 0
    return by === 'gives' ? -g : by === 'costs' ? -c : c > 0 ? g / c : Infinity
  }
  return [...list].sort((a, b) => (by === 'name' ? a[1].name.localeCompare(b[1].name) : value(a[0]) - value(b[0])))
}
