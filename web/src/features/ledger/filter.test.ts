import { expect, test } from 'vitest'
import type { Light, Setup } from '../../api.gen'
import { columns, fitting, needed, sorted } from './columns'
import { readFilter, readTerms, without, type Known } from './filter'
import { beside, groupOver, type Item } from './items'

const l = (o: Partial<Light>): Light => ({ name: 'x', group: '', kind: 'point', carry: 'live', shadow: true, off: false, stops: 0, colour: { kelvin: 3000 }, output: 1, range: 0, ...o }) as Light
const lights: Record<string, Light> = {
  lantern: l({ name: 'Lantern', group: 'keeper' }),
  rim: l({ name: 'Rim, window', kind: 'spot', group: 'keeper' }),
  fill: l({ name: 'Face fill', kind: 'spot', carry: 'baked', shadow: false }),
  sky: l({ name: 'Sky dome', kind: 'sky', carry: 'split', off: true, stops: -1.5 }),
}
const doc = { lights, groups: { keeper: { name: 'Keeper', order: 0, trim: 0, off: false } } } as unknown as Setup
const known: Record<string, Known> = { lantern: { gives: 0.21, cost: { ms: 0.9 } as never }, rim: { gives: 0.004, cost: { ms: 0.1 } as never }, fill: { gives: 0.02 }, sky: { gives: 0 } }
const find = (text: string) => Object.keys(lights).filter((id) => readFilter(text)(lights[id] as Light, id, doc, known[id] ?? {}))

test.each([
  ['', ['lantern', 'rim', 'fill', 'sky']],
  ['live lights that cast shadows and give under 1 %', ['rim']],
  ['spots', ['rim', 'fill']],
  ['baked spots', ['fill']],
  ['no shadow', ['fill']],
  ['off', ['sky']],
  ['keeper', ['lantern', 'rim']],
  ['keeper costs over 0.5', ['lantern']],
  ['stops under 0', ['sky']],
  ['give more than 10%', ['lantern']],
  ['rim window', ['rim']],
  ['nothing of the kind', []],
])('%s', (text, ids) => expect(find(text)).toEqual(ids))

test('columns that were chosen last go first where there is no room, and all have room at the width they need', () => {
  const ids = (shown: string[], width: number) => fitting(shown, width).map((c) => c.id)
  expect(ids(['gives', 'costs', 'carry'], 358)).toEqual(['gives', 'costs'])
  expect(ids(['gives', 'costs', 'carry'], needed(['gives', 'costs', 'carry']))).toEqual(['gives', 'costs', 'carry'])
  expect(ids(['costs', 'notice', 'gives'], 358)).toEqual(['costs'])
  expect(ids(['costs', 'notice', 'gives'], needed(['costs', 'notice', 'gives']))).toEqual(['gives', 'costs', 'notice'])
})

test('each thing that is asked can be taken out of the text again', () => {
  const text = 'keeper live gives under 30 % spots lamps'
  const terms = readTerms(text)
  expect(terms.map((t) => t.words)).toEqual(['gives under 30 %', 'live', 'keeper', 'spots or lamps'])
  for (const t of terms) {
    const rest = readTerms(without(terms, t)).map((x) => x.words)
    expect(rest).toEqual(terms.filter((x) => x !== t).map((x) => x.words))
  }
})

test('every column sorts: what has most first, words by letters, what is least for its cost first', () => {
  const facts = (id: string) => ({ gives: { share: known[id]?.gives ?? 0, direct: 0, bounced: 0, air: 0 }, cost: known[id]?.cost })
  const by = (key: string) => sorted(Object.entries(lights), key, facts).map(([id]) => id)
  expect(by('order')).toEqual(['lantern', 'rim', 'fill', 'sky'])
  expect(by('name')).toEqual(['fill', 'lantern', 'rim', 'sky'])
  expect(by('gives')).toEqual(['lantern', 'fill', 'rim', 'sky'])
  expect(by('costs').slice(0, 2)).toEqual(['lantern', 'rim'])
  expect(by('worth').slice(0, 2)).toEqual(['rim', 'lantern'])
  expect(by('stops').at(-1)).toBe('sky')
  expect(by('carry')[0]).toBe('fill')
  for (const c of columns) expect(by(c.id)).toHaveLength(4)
})

test('the group over a light stays in sight', () => {
  const items = [
    { kind: 'group', id: 'hall', depth: 0, members: [] },
    { kind: 'group', id: 'lamps', depth: 1, members: [] },
    { kind: 'light', id: 'a', depth: 1 },
    { kind: 'light', id: 'b', depth: 0 },
    { kind: 'light', id: 'c', depth: 0 },
  ] as Item[]
  expect([0, 1, 2, 3, 4].map((i) => groupOver(items, i))).toEqual([-1, -1, 1, 0, 0])
  expect(groupOver([], 0)).toBe(-1)
})

test('a light is moved by one row, out of its group and into the next', () => {
  const items = [
    { kind: 'group', id: 'hall', depth: 0, members: [] },
    { kind: 'light', id: 'a', depth: 0 },
    { kind: 'light', id: 'b', depth: 0 },
    { kind: 'group', id: 'keeper', depth: 0, members: [] },
    { kind: 'light', id: 'c', depth: 0 },
  ] as Item[]
  const group = (id: string) => ({ a: 'hall', b: 'hall', c: 'keeper' })[id] ?? ''
  expect(beside(items, 1, 1, group)).toEqual({ group: 'hall', before: null })
  expect(beside(items, 2, -1, group)).toEqual({ group: 'hall', before: 'a' })
  expect(beside(items, 2, 1, group)).toEqual({ group: 'keeper', before: 'c' })
  expect(beside(items, 4, -1, group)).toEqual({ group: 'hall', before: null })
  expect(beside(items, 4, 1, group)).toBeNull()
  expect(beside(items, 1, -1, group)).toBeNull()
})
