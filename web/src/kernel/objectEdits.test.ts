import { beforeEach, expect, test, vi } from 'vitest'
import type { Backdrop, KeptReference, Setup, StageFacts, Thing } from '../api.gen'

vi.mock('./client', () => ({ api: { edit: vi.fn(() => new Promise(() => undefined)), next: vi.fn() }, called: () => 'Heron', windowName: 'here', Refused: class extends Error {}, Busy: class extends Error {} }))

const { addBackdrop, baseOf, change, figureOf, paint, removeBackdrop, saidOf, scrub, tree } = await import('./objectEdits')
const { addCard } = await import('./cards')
const { useSetup } = await import('./store')

const thing = (path: string, lo: number, hi: number): Thing => ({ name: path.split('/').at(-1) ?? '', path, triangles: 10, lo: [lo, 0, lo], hi: [hi, 2, hi], materials: ['brick'] })
const things = [thing('Keeper/coat', 0, 1), thing('Keeper/lantern', 1, 3), thing('Hall/wall 10', 5, 9), thing('Hall/wall 2', 5, 9)]
const doc = (over: Partial<Setup> = {}) => ({ version: 1, name: 'n', target: 't', curve: 'plain', groups: {}, lights: {}, views: {}, looks: {}, objects: {}, materials: {}, backdrops: {}, channels: {}, ...over }) as Setup
const now = () => useSetup.getState().doc as Setup
const label = () => useSetup.getState().pending.at(-1)?.label

beforeEach(() => {
  const d = doc()
  useSetup.setState({ id: 1, confirmed: d, kept: d, bare: d, doc: d, pending: [], draft: [] })
})

test('the hierarchy is a tree, numbers in their order', () => {
  expect(tree(things).map((n) => [n.name, n.depth, n.things.length])).toEqual([
    ['Hall', 0, 2], ['wall 2', 1, 1], ['wall 10', 1, 1], ['Keeper', 0, 2], ['coat', 1, 1], ['lantern', 1, 1],
  ])
  expect(baseOf(things, 'Keeper')).toEqual([1.5, 0, 1.5])
})

test('an object belongs to its topmost node, unless that is larger than a figure', () => {
  expect(things.map((t) => figureOf(things, t))).toEqual(['Keeper', 'Keeper', 'Hall/wall 10', 'Hall/wall 2'])
})

test('what the setup says of a thing begins, changes and ends', () => {
  change('Keeper', { part: 'mover' }, 'mover', things)
  expect(saidOf(now(), 'Keeper/coat')?.part).toBe('mover')
  expect(saidOf(now(), 'Keepers/coat')).toBeUndefined()
  change('Keeper', { offset: [1, 0, 0] }, 'moved', things)
  expect(Object.values(now().objects ?? {})).toEqual([{ path: 'Keeper', offset: [1, 0, 0], pivot: [1.5, 0, 1.5], turn: 0, part: 'mover' }])
  change('Keeper/lantern', { hidden: true }, 'taken out', things)
  expect(saidOf(now(), 'Keeper/lantern')?.hidden).toBe(true)
  expect(label()).toBe('lantern taken out')
  change('Keeper', { part: 'static', offset: [0, 0, 0] }, 'back', things)
  expect(saidOf(now(), 'Keeper/coat')).toBeUndefined()
})

test('a material is changed, and given back', () => {
  const s = { name: 'brick', colour: [1, 1, 1], roughness: 1, metal: 0, emission: [0, 0, 0], textured: true, triangles: 3 } as StageFacts['surfaces'][number]
  paint(s, { roughness: 0.2 }, 'roughness 0.2')
  expect(Object.values(now().materials ?? {})).toEqual([{ name: 'brick', roughness: 0.2 }])
  paint(s, { roughness: null }, 'as in the file')
  expect(now().materials).toEqual({})
  // What begins to shine gets a light, or it would light nothing.
  paint(s, { emission: [50, 50, 50] }, 'shines')
  expect(Object.values(now().lights)).toMatchObject([{ kind: 'emissive', material: 'brick', output: 50 }])
})

test('a sweep stands behind a figure and faces the eye', () => {
  addBackdrop([2, 0, 0], 1.8, [2, 1.6, 10], 'Keeper')
  const b = Object.values(now().backdrops ?? {})[0]
  expect(b?.facing).toBeCloseTo(0, 6)
  expect(b?.position[2]).toBeGreaterThan(0)
  expect((b?.position[2] ?? 0) - (b?.depth ?? 0)).toBeLessThan(0)
})

test('time stays within the animations', () => {
  scrub(99, { duration: 8 } as StageFacts, true)
  expect(now().time).toBe(8)
})

test('a card stands before the eye, faces it, is as white as white, and takes its light with it', () => {
  useSetup.setState({ id: 1, view: 'v' })
  const d = doc({ views: { v: { name: 'v', order: 0, eye: [1, 2, 3], aim: [1, -0.5, 0], roll: 0, fovY: 60, aspect: 1.5, ev: 3 } } })
  useSetup.setState({ doc: d, kept: d, bare: d, confirmed: d, pending: [] })
  addCard({ blob: 'a'.repeat(64), file: 'Far marsh.png' } as KeptReference, 2)
  const [id, b] = Object.entries(now().backdrops ?? {})[0] ?? []
  expect(b).toMatchObject({ name: 'Far marsh', facing: -90, card: { file: 'Far marsh.png' } })
  expect(b?.position[0]).toBeCloseTo(13, 3)
  expect(b?.width).toBeCloseTo(2 * (b?.height ?? 0), 2)
  const l = Object.values(now().lights)[0]
  // EV 3 brings 1 cd/m² to middle grey: white is 1 / 0.18.
  expect(l).toMatchObject({ kind: 'emissive', material: 'Far marsh', output: 5.556, noDiffuse: 1 })
  removeBackdrop(id ?? '', b as Backdrop)
  expect(now().backdrops).toEqual({})
  expect(now().lights).toEqual({})
})
