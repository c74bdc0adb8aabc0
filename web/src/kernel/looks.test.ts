import { readFileSync } from 'node:fs'
import { expect, test } from 'vitest'
import type { Setup } from '../api.gen'
import { routed, worn } from './looks'
import { patched, type Op } from './state'

const lamp = (o: object = {}) => ({ name: 'L', group: 'g', kind: 'point', output: 100, stops: 0, colour: { kelvin: 3000 }, off: false, ...o })
const doc = (o: object = {}) =>
  ({
    lights: { sun: lamp(), sky: lamp({ link: 'a' }), fill: lamp({ link: 'a' }) },
    groups: { g: { name: 'G', trim: 0.5 } },
    views: { hall: { ev: 4 } },
    materials: {},
    fog: { visibility: 200, halves: 3 },
    look: 'storm',
    looks: { storm: { name: 'Storm', order: 0, overrides: {} } },
    ...o,
  }) as unknown as Setup

/** kept is the document after ops that were routed. */
const kept = (d: Setup, ops: Op[], alone = true) => patched(d, routed(d, ops, alone))

test('an edit that goes to the look leaves the setup as it is, and is shown', () => {
  const d = kept(doc(), [{ op: 'replace', path: '/lights/sun/stops', value: -1.5 }])
  expect(d.lights.sun?.stops).toBe(0)
  expect(d.looks.storm?.overrides).toEqual({ '/lights/sun/stops': { stops: -1.5 } })
  expect(worn(d).lights.sun?.stops).toBe(-1.5)
  // Back at the setup's own value it is no difference any more.
  expect(kept(d, [{ op: 'replace', path: '/lights/sun/stops', value: 0 }]).looks.storm?.overrides).toEqual({})
})

test('a change follows the setup, a value does not', () => {
  let d = kept(doc(), [{ op: 'add', path: '/lights/sun/stops', value: 1 }, { op: 'add', path: '/lights/sun/colour', value: { kelvin: 6000 } }])
  d = { ...d, lights: { ...d.lights, sun: lamp({ stops: 2, colour: { kelvin: 2000 } }) as never } }
  expect(worn(d).lights.sun?.stops).toBe(3)
  expect(worn(d).lights.sun?.colour.kelvin).toBe(6000)
})

test('an edit of every look is the setup’s, and nothing of the look hides it', () => {
  let d = kept(doc(), [{ op: 'add', path: '/lights/sun/stops', value: 1 }])
  d = kept(d, [{ op: 'add', path: '/lights/sun/stops', value: 3 }], false)
  expect(d.lights.sun?.stops).toBe(3)
  expect(d.looks.storm?.overrides).toEqual({})
})

test('fog differs field by field, and can be left out of a look or be in it alone', () => {
  let d = kept(doc(), [{ op: 'add', path: '/fog', value: { visibility: 100, halves: 3 } }])
  expect(d.looks.storm?.overrides).toEqual({ '/fog/visibility': { times: 0.5 } })
  expect(worn(d).fog?.visibility).toBe(100)
  d = kept(d, [{ op: 'remove', path: '/fog' }])
  expect(worn(d).fog).toBeUndefined()
  expect(d.fog?.visibility).toBe(200)
  d = kept(doc({ fog: undefined }), [{ op: 'add', path: '/fog', value: { visibility: 50, halves: 1 } }])
  d = kept(d, [{ op: 'add', path: '/fog/visibility', value: 70 }])
  expect(worn(d).fog).toEqual({ visibility: 70, halves: 1 })
  expect(d.fog).toBeUndefined()
})

test('what a look has whole is changed whole, whatever the setup has meanwhile', () => {
  const look = (set: unknown) => doc({ looks: { storm: { name: 'Storm', order: 0, overrides: { '/fog': { set } } } } })
  // The look has none, the setup has: fog is laid in the look.
  let d = kept(look(null), [{ op: 'add', path: '/fog', value: { visibility: 90, halves: 2 } }])
  expect(worn(d).fog).toEqual({ visibility: 90, halves: 2 })
  expect(d.fog?.visibility).toBe(200)
  // The look has its own, and two of its fields change at once.
  d = kept(look({ visibility: 50, halves: 1 }), [{ op: 'add', path: '/fog', value: { visibility: 60, halves: 5 } }])
  expect(worn(d).fog).toEqual({ visibility: 60, halves: 5 })
  // Back at the setup's own, it is no difference.
  d = kept(d, [{ op: 'add', path: '/fog', value: { visibility: 200, halves: 3 } }])
  expect(d.looks.storm?.overrides).toEqual({})
})

test('what no look can have otherwise goes to the setup', () => {
  const ops: Op[] = [{ op: 'add', path: '/lights/new', value: lamp() }, { op: 'replace', path: '/lights/sun/name', value: 'Low sun' }, { op: 'add', path: '/looks/x', value: { name: 'X', order: 1, overrides: {} } }, { op: 'add', path: '/look', value: 'x' }]
  expect(routed(doc(), ops, true)).toEqual(ops)
  expect(routed(doc({ look: '' }), [{ op: 'replace', path: '/lights/sun/stops', value: 1 }], true)).toHaveLength(1)
})

test('linked lights wear it together', () => {
  const d = doc({ looks: { storm: { name: 'S', order: 0, overrides: { '/lights/sky/stops': { stops: -2 }, '/lights/gone/stops': { stops: 1 } } } } })
  expect(worn(d).lights.fill?.stops).toBe(-2)
})

test('a look is worn as the server wears it', () => {
  const file = JSON.parse(readFileSync('../core/looks/testdata/worn.json', 'utf8')) as { Before: Setup; After: Setup }
  const got = worn(file.Before)
  const want = file.After
  expect(got.lights.lantern?.colour.kelvin).toBeCloseTo(want.lights.lantern?.colour.kelvin ?? 0, 6)
  expect(want.views.zoned?.ev).toBe(5)
  expect(got.views.zoned?.ev).toBeCloseTo(5, 9)
  const rest = (s: Setup) => ({ ...s, look: undefined, views: { ...s.views, zoned: undefined }, lights: { ...s.lights, lantern: undefined } })
  expect(rest(got)).toEqual(rest(want))
})
