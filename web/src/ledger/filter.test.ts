import { expect, test } from 'vitest'
import type { Light, Setup } from '../api.gen'
import { fitting, needed } from './columns'
import { readFilter, type Known } from './filter'

const l = (o: Partial<Light>): Light => ({ name: 'x', group: '', kind: 'point', carry: 'live', shadow: true, off: false, stops: 0, ...o }) as Light
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
