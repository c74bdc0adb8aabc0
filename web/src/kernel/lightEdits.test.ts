import { beforeEach, expect, test, vi } from 'vitest'
import type { Light, Setup } from '../api.gen'

vi.mock('./client', () => ({ api: { edit: vi.fn(() => new Promise(() => undefined)), next: vi.fn() }, called: () => 'Heron', windowName: 'here', Refused: class extends Error {}, Busy: class extends Error {} }))

const { lightEdits, grab, freeName } = await import('./lightEdits')
const { copyLights, pasteLights } = await import('../features/ledger/clipboard')
const { choose, chooseAll, useLook } = await import('./look')
const { useSetup } = await import('./store')

const lamp = (name: string, order: number, over: Partial<Light> = {}): Light => ({
  name, group: 'hall', order, kind: 'point', output: 100, stops: 0, colour: { kelvin: 3000 }, off: false, position: [order, 2, 0], aim: [0, -1, 0], roll: 0, radius: 0.1, width: 0, height: 0,
  angle: 0, inner: 0, outer: 0, range: 6, shadow: true, shadowMap: 512, carry: 'live', channels: 255, ...over,
})
const now = () => useSetup.getState().doc as Setup
const camera = { name: '', order: 0, eye: [0, 1, 5] as [number, number, number], aim: [0, 0, -1] as [number, number, number], roll: 0, fovY: 40, aspect: 1.5, ev: 5 }

beforeEach(() => {
  const groups = { hall: { name: 'Hall', order: 0, trim: 0, off: false }, keeper: { name: 'Keeper', order: 1, trim: 0, off: false } }
  const doc = { version: 1, name: 'n', target: 't', curve: 'plain', groups, lights: { a: lamp('Lamp', 1), b: lamp('Rim', 2), c: lamp('Fill', 3, { locked: true }) }, views: {}, looks: {}, zones: {}, references: {}, objects: {}, materials: {}, backdrops: {}, channels: {}, targets: {}, routes: {} } as Setup
  useSetup.setState({ id: 1, confirmed: doc, kept: doc, bare: doc, doc, pending: [], draft: [] })
  choose(null)
})

test('a drag moves all that are chosen, from where they were, but nothing that is locked', () => {
  chooseAll(['a', 'b', 'c'])
  grab('a')
  lightEdits.handle('a', now(), {}, [0.5, 0, 0], 'moved', false)
  lightEdits.handle('a', now(), {}, [1, 0, 0], 'moved', false)
  expect(now().lights.a?.position[0]).toBe(2)
  expect(useSetup.getState().pending).toHaveLength(0)
  lightEdits.handle('a', now(), {}, [1, 0, 0], 'moved 1 m', true)
  expect([now().lights.a?.position[0], now().lights.b?.position[0], now().lights.c?.position[0]]).toEqual([2, 3, 3])
  expect(useSetup.getState().pending.at(-1)?.label).toBe('2 lights moved 1 m')
})

test('a duplicate stands beside, with a name of its own, and is chosen', () => {
  lightEdits.duplicate(['a'], camera)
  expect(now().lights['lamp-2']).toMatchObject({ name: 'Lamp 2', position: [1.5, 2, 0] })
  expect([...useLook.getState().picked]).toEqual(['lamp-2'])
  lightEdits.duplicate(['lamp-2'], camera)
  expect(now().lights['lamp-3']?.name).toBe('Lamp 3')
})

test('what is copied is pasted beside itself here, and in its own place in another setup', () => {
  copyLights(['b', 'c'])
  pasteLights()
  expect(now().lights['rim-2']?.position[0]).toBe(2.5)
  expect(now().lights['fill-2']?.locked).toBeUndefined()
  useSetup.setState({ id: 2 })
  pasteLights()
  expect(now().lights['rim-3']?.position[0]).toBe(2)
})

test('copies belong to no link, or a change of the first would change them too', () => {
  const doc = { ...now(), lights: { ...now().lights, a: { ...(now().lights.a as Light), link: 'pair' } } }
  useSetup.setState({ confirmed: doc, kept: doc, bare: doc, doc })
  lightEdits.duplicate(['a'], camera)
  expect(now().lights['lamp-2']?.link).toBeUndefined()
  expect(now().lights.a?.link).toBe('pair')
  copyLights(['a'])
  pasteLights()
  expect(now().lights['lamp-3']?.link).toBeUndefined()
})

test('removing leaves what is locked', () => {
  lightEdits.remove(['a', 'c'])
  expect(Object.keys(now().lights)).toEqual(['b', 'c'])
  lightEdits.lock(['c'])
  lightEdits.remove(['c'])
  expect(Object.keys(now().lights)).toEqual(['b'])
})

test('lights are regrouped before others, and groups nest and dissolve', () => {
  lightEdits.regroup(['b'], 'hall', 'a')
  expect(now().lights.b?.order).toBeLessThan(now().lights.a?.order ?? 0)
  lightEdits.newGroup(['a', 'b'])
  expect(now().lights.a?.group).toBe('new-group')
  lightEdits.nest('new-group', 'hall')
  expect(now().groups['new-group']?.parent).toBe('hall')
  lightEdits.nest('hall', 'new-group') // would be a ring
  expect(now().groups.hall?.parent).toBeUndefined()
  lightEdits.ungroup('new-group')
  expect(now().lights.a?.group).toBe('hall')
  expect(now().groups['new-group']).toBeUndefined()
})

test('a name is free in its group', () => {
  expect(freeName(now(), 'hall', 'Lamp')).toBe('Lamp 2')
  expect(freeName(now(), 'keeper', 'Lamp')).toBe('Lamp')
})

test('a new light stands where the eye looks', () => {
  lightEdits.create('spot', camera, [0, 1, -5])
  expect(now().lights.spot).toMatchObject({ kind: 'spot', position: [0, 1, -2], group: 'hall' })
  expect([...useLook.getState().open]).toEqual(['spot'])
})
