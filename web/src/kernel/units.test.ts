import { expect, test } from 'vitest'
import type { LampFact, Light, Setup } from '../api.gen'
import { emitted, gains } from './sums'
import { inUnit, nominal, unitOf } from './units'

const lamp = (over: Partial<Light>): Light => ({ kind: 'point', output: 100, stops: 0, colour: { kelvin: 4000 }, group: '', ...over }) as Light
// An even lamp: a candela is 4 pi lumens, and a lux at a metre.
const fact: LampFact = { key: 'k', perOutput: 1 / (4 * Math.PI), shines: false, perUnit: { lm: 1 / (4 * Math.PI), cd: 1, lx: 1, W: 100 / (4 * Math.PI) }, colour: [0.2, 0.3, 0.4] }
const warmth = { minKelvin: 1000, maxKelvin: 10000, colours: [[2, 0.8, 0], [1, 1, 1]] as [number, number, number][] }

test('a light told in another unit is the same light', () => {
  const l = lamp({ output: 400 * Math.PI })
  expect(inUnit(l, fact, 'cd')).toBeCloseTo(100)
  expect(inUnit(l, fact, 'W')).toBeCloseTo(4 * Math.PI)
  const told = lamp({ unit: 'lx', output: inUnit(l, fact, 'lx') })
  expect(nominal(told) * (fact.perUnit.lx ?? 0)).toBeCloseTo(nominal(l) * fact.perOutput)
  expect(inUnit(l, fact, 'cd/m2')).toBe(l.output)
})

test('kinds have units of their own, and a measured luminaire its own lumens', () => {
  expect([unitOf(lamp({})), unitOf(lamp({ kind: 'sun' })), unitOf(lamp({ kind: 'sky' })), unitOf(lamp({ unit: 'cd' }))]).toEqual(['lm', 'lx', 'cd/m2', 'cd'])
  const profile = { blob: '', file: '', turn: 0, flux: 777, lamp: 0, watts: 0, scaled: false }
  expect(nominal(lamp({ profile }))).toBe(777)
  expect(nominal(lamp({ profile: { ...profile, scaled: true } }))).toBe(100)
})

test('plain colours are shown at once, tints, gels and group shifts as the server worked them out', () => {
  const doc = { groups: { g: { name: 'G', order: 0, trim: 0, off: false, mired: 20 } }, lights: {} } as unknown as Setup
  expect(emitted(doc, lamp({ colour: { rgb: [1, 1, 1] } }), fact, warmth)).toEqual([1, 1, 1])
  for (const l of [lamp({ colour: { kelvin: 4000, tint: 5 } }), lamp({ colour: { kelvin: 4000, gel: 'blue-1' } }), lamp({ group: 'g' })]) expect(emitted(doc, l, fact, warmth)).toEqual(fact.colour)
  doc.lights = { a: lamp({ group: 'g', output: 4 * Math.PI, stops: 1 }) }
  expect(gains(doc, { a: fact }, warmth, new Set()).a?.map((v) => +v.toFixed(6))).toEqual([0.4, 0.6, 0.8])
})
