import { expect, test, vi } from 'vitest'
import type { Light, RigAnswer, Setup } from '../../api.gen'

vi.mock('../../kernel/client', () => ({ api: { edit: vi.fn(() => new Promise(() => undefined)), next: vi.fn() }, called: () => 'Heron', windowName: 'here', Refused: class extends Error {}, Busy: class extends Error {} }))

const { putOn, rigOf, wholeOps } = await import('./rigEdits')
const { patched, useSetup } = await import('../../kernel/store')

const lamp = (name: string, group: string, position: [number, number, number], aim: [number, number, number]): Light => ({
  name, group, order: 1, kind: 'spot', output: 100, stops: 0, colour: { kelvin: 3000 }, off: false, position, aim, roll: 0, radius: 0.1, width: 0, height: 0, angle: 0, inner: 10, outer: 20, range: 6, shadow: true, shadowMap: 512, carry: 'live', channels: 255,
})
const doc = {
  version: 1, name: 'n', target: 't', curve: 'plain', views: {}, looks: {},
  groups: { rig: { name: 'Rig', order: 1, trim: 0, off: false, rig: { object: 'Keeper', pivot: [1, 1.6, 0], height: 1.8, facing: 170 } } },
  lights: { key: lamp('Key', 'rig', [3, 2.6, 0], [-1, 0, 0]), other: lamp('Other', '', [0, 0, 0], [0, -1, 0]) },
} as unknown as Setup

test('a rig turns, rises and grows about its pivot as one', () => {
  const turned = patched(doc, wholeOps(doc, 'rig', { turn: 90 }))
  expect(turned.lights.key?.position).toEqual([1, 2.6, -2])
  expect(turned.lights.key?.aim.map((v) => v + 0)).toEqual([0, 0, 1])
  expect(turned.groups.rig?.rig?.facing).toBe(-100)
  expect(turned.lights.other).toEqual(doc.lights.other)
  const raised = patched(doc, wholeOps(doc, 'rig', { raise: 0.5 }))
  expect([raised.lights.key?.position[1], raised.groups.rig?.rig?.pivot[1]]).toEqual([3.1, 2.1])
  expect(patched(doc, wholeOps(doc, 'rig', { scale: 2 })).lights.key?.position).toEqual([5, 3.6, 0])
})

test('a rig that is put on, or made of lights, has a name of its own', () => {
  useSetup.setState({ id: 1, confirmed: doc, kept: doc, bare: doc, doc, pending: [], draft: [] })
  const a = { figure: 'Keeper', group: { ...doc.groups.rig }, lights: [lamp('Key', '', [0, 1, 0], [0, -1, 0])] } as RigAnswer
  putOn(a)
  const now = () => useSetup.getState().doc as Setup
  expect(now().groups['rig-keeper']?.name).toBe('Rig, Keeper')
  expect(now().lights['rig-keeper-key']?.group).toBe('rig-keeper')
  useSetup.setState({ id: 1, confirmed: doc, kept: doc, bare: doc, doc, pending: [], draft: [] })
  rigOf(['other'], a)
  expect(now().lights.other?.group).toBe('rig-keeper')
})
