import type { Cost, Light, Notice } from '../../api.gen'
import type { Gives } from '../../kernel/sums'

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
const restOfRow = 18 + leastName + 48 + 40 + 48 + 30

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

/** Sort is what rows are ordered by: the order of the groups, the name, stops, a column, or what a light gives for its cost. */
export type Sort = string

/** sortNames say what rows are ordered by. */
export const sortName = (by: Sort) => (by === 'worth' ? 'least for its cost first' : `by ${columns.find((c) => c.id === by)?.name ?? by}`)

/** Text of a column, for those that are sorted by letters. */
const textOf: Record<string, (l: Light) => string> = { name: (l) => l.name, role: (l) => l.role || '\uffff', carry: (l) => l.carry }

/** Number of a column, the greatest first. */
const numberOf: Record<string, (l: Light, f: Facts) => number> = {
  gives: (_, f) => f.gives?.share ?? 0,
  costs: (_, f) => f.cost?.ms ?? 0,
  mb: (_, f) => f.cost?.mb ?? 0,
  notice: (_, f) => f.notice?.mean ?? 0,
  output: (l) => l.output,
  warmth: (l) => l.colour.kelvin ?? 0,
  range: (l) => l.range || Infinity,
  stops: (l) => l.stops,
  worth: (_, f) => (f.cost && f.cost.ms > 0 ? -(f.gives?.share ?? 0) / f.cost.ms : -Infinity),
}

/** sorted orders lights: by letters, or what has most first; what gives least for its cost first. */
export function sorted(list: [string, Light][], by: Sort, facts: (id: string) => Facts): [string, Light][] {
  const text = textOf[by]
  const number = numberOf[by]
  if (text) return [...list].sort((a, b) => text(a[1]).localeCompare(text(b[1])) || a[1].name.localeCompare(b[1].name))
  if (!number) return list
  const value = ([id, l]: [string, Light]) => number(l, facts(id))
  return [...list].sort((a, b) => {
    const x = value(a)
    const y = value(b)
    return x === y ? 0 : y - x
  })
}
