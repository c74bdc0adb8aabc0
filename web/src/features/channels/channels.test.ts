import { expect, test, vi } from 'vitest'
import type { Light, Setup, Thing } from '../../api.gen'

vi.mock('../../kernel/client', () => ({ api: { edit: vi.fn(() => new Promise(() => undefined)), next: vi.fn() }, called: () => 'Heron', windowName: 'here', Refused: class extends Error {}, Busy: class extends Error {} }))

const { opsOf } = await import('./ChannelPanel')
const { channelsOf, helper } = await import('../../kernel/objectEdits')
const { useThings } = await import('../../kernel/things')
const { patched, useSetup } = await import('../../kernel/store')

const lamp = (name: string, over: Partial<Light> = {}) => ({ name, group: '', order: 1, kind: 'point', channels: 255, position: [0, 0, 0], colour: { kelvin: 3000 }, ...over }) as Light
const things = [
  { name: 'coat', path: 'Keeper/coat', triangles: 1, lo: [0, 0, 0], hi: [1, 2, 1], materials: [] },
  { name: 'lamp', path: 'Keeper/lamp', triangles: 1, lo: [0, 0, 0], hi: [1, 1, 1], materials: [] },
  { name: 'wall', path: 'Hall/wall', triangles: 1, lo: [-5, 0, -5], hi: [5, 4, 5], materials: [] },
] as Thing[]
const doc = { version: 1, name: 'n', target: 't', curve: 'plain', groups: { k: { name: 'Keeper', order: 1, trim: 0, off: false } }, views: {}, looks: {}, objects: {}, materials: {}, backdrops: {}, channels: {}, lights: { a: lamp('A'), b: lamp('B', { link: 'x' }), c: lamp('C', { link: 'x' }) } } as unknown as Setup
const row = (key: string, bits = 255) => ({ key, name: key, depth: 0, bits, kind: key.startsWith('light') ? ('light' as const) : ('thing' as const) })

test('cells become edits: of lights with those they are linked to, of things by the nearest node that says so', () => {
  useThings.setState({ things })
  useSetup.setState({ id: 1, confirmed: doc, kept: doc, bare: doc, doc, pending: [], draft: [] })
  const rows = [row('light:a'), row('light:b'), row('thing:Keeper'), row('thing:Hall')]
  const after = patched(doc, opsOf(doc, rows, new Map([['light:a', 255], ['light:b', 7], ['thing:Keeper', 254], ['thing:Hall', 3]])))
  expect([after.lights.a?.channels, after.lights.b?.channels, after.lights.c?.channels]).toEqual([255, 7, 7])
  expect([channelsOf(after, 'Keeper/coat'), channelsOf(after, 'Hall/wall'), channelsOf(after, 'Elsewhere')]).toEqual([254, 3, 255])
  // All channels again: what says nothing any more is taken out.
  const back = patched(after, opsOf(after, [row('thing:Keeper', 254)], new Map([['thing:Keeper', 255]])))
  expect(Object.values(back.objects ?? {}).map((o) => o.path)).toEqual(['Hall'])
})

test('a helper light lights all but its bearer, by a channel that is free', () => {
  const used = patched(doc, [{ op: 'add', path: '/channels', value: { 8: { name: 'Rain' } } }])
  useSetup.setState({ id: 1, confirmed: used, kept: used, bare: used, doc: used, pending: [], draft: [] })
  helper('Keeper', things)
  const now = useSetup.getState().doc as Setup
  const light = Object.values(now.lights).find((l) => l.name === 'Helper, Keeper')
  expect([light?.channels, light?.shadow, light?.group]).toEqual([64, false, 'k'])
  expect(light?.position).toEqual([0.5, 1.5, 0.5])
  expect([channelsOf(now, 'Keeper/lamp'), channelsOf(now, 'Hall/wall'), now.channels?.[7]?.name]).toEqual([191, 255, 'All but Keeper'])
  // A second one uses the same channel.
  helper('Keeper', things)
  const all = Object.values((useSetup.getState().doc as Setup).lights).filter((l) => l.name.startsWith('Helper'))
  expect(all.map((l) => l.channels)).toEqual([64, 64])
})
