import { fireEvent, render } from '@testing-library/react'
import { beforeEach, expect, test, vi } from 'vitest'
import type { Setup, Thing } from '../api.gen'

vi.mock('../kernel/client', () => ({ api: { edit: vi.fn(() => new Promise(() => undefined)), next: vi.fn() }, called: () => 'Heron', windowName: 'here', Refused: class extends Error {}, Busy: class extends Error {} }))

const { MoverHandle, moverOf } = await import('./MoverHandle')
const { project } = await import('../kernel/camera')
const { useLook } = await import('../kernel/look')
const { useThings } = await import('../kernel/things')
const { useSetup } = await import('../kernel/store')

const camera = { name: 'c', order: 0, ev: 5, eye: [0, 3, 6] as [number, number, number], aim: [0, -0.5, -1] as [number, number, number], roll: 0, fovY: 50, aspect: 2 }
const thing = (path: string): Thing => ({ name: path, path, triangles: 1, lo: [-0.3, 0, -0.3], hi: [0.3, 1.8, 0.3], materials: [] })
const doc = { version: 1, name: 'n', target: 't', curve: 'plain', groups: {}, lights: {}, views: {}, looks: {}, objects: { k: { path: 'Keeper', part: 'mover', offset: [0, 0, 0], pivot: [0, 0, 0], turn: 0 } } } as unknown as Setup
const W = 800
const H = 400
const at = (p: [number, number, number]) => {
  const q = project(camera, p)
  return q ? { x: q.x * W, y: q.y * H, depth: q.depth } : null
}
const now = () => (useSetup.getState().doc as Setup).objects?.k

beforeEach(() => {
  useSetup.setState({ id: 1, confirmed: doc, kept: doc, bare: doc, doc, pending: [], draft: [] })
  useThings.setState({ things: [thing('Keeper/coat'), thing('Keeper/head'), thing('Wall')], facts: null })
})

function Shown() {
  const d = useSetup((s) => s.doc) as Setup
  const box = { current: document.querySelector('svg') }
  return <svg ref={(e) => void (box.current = e)}><MoverHandle doc={d} camera={camera} at={at} box={box} /></svg>
}

const grip = (name: string) => document.querySelector(`[data-grip=${name}]`) as Element
const drag = (name: string, to: [number, number, number], key?: string) => {
  const svg = document.querySelector('svg') as SVGSVGElement
  svg.getBoundingClientRect = () => ({ left: 0, top: 0, width: W, height: H, right: W, bottom: H, x: 0, y: 0, toJSON: () => '' })
  const p = at(to)
  fireEvent.pointerDown(grip(name), { button: 0 })
  fireEvent(window, new MouseEvent('pointermove', { clientX: p?.x, clientY: p?.y }))
  if (key) fireEvent.keyDown(window, { key })
  else fireEvent(window, new MouseEvent('pointerup', { clientX: p?.x, clientY: p?.y }))
}

test('a chosen part stands for the mover that it belongs to', () => {
  expect(moverOf(doc, ['Keeper/coat'])).toBe('Keeper')
  expect(moverOf(doc, ['Keeper/coat', 'Keeper/head'])).toBe('Keeper')
  expect(moverOf(doc, ['Keeper/coat', 'Wall'])).toBeUndefined()
  expect(moverOf(doc, [])).toBeUndefined()
})

test('walls have no handle', () => {
  useLook.setState({ objects: [2] })
  render(<Shown />)
  expect(document.querySelector('[data-grip]')).toBeNull()
})

test('a mover goes over the ground, up, and turns; Escape drops it', () => {
  useLook.setState({ objects: [0] })
  render(<Shown />)
  drag('stand', [1, 0.9, -1])
  expect(now()?.offset[0]).toBeCloseTo(1, 2)
  expect(now()?.offset[1]).toBeCloseTo(0, 6)
  expect(now()?.offset[2]).toBeCloseTo(-1, 2)
  expect(useSetup.getState().pending).toHaveLength(1)
  drag('turn', [3, 0.9, -1])
  expect(now()?.turn).toBe(90)
  drag('up', [1, 2.5, -1])
  expect(now()?.offset[1]).toBeCloseTo(1, 2)
  expect(useSetup.getState().pending.map((p) => p.label)).toEqual(['Keeper moved 1.414 m', 'Keeper turned 90°', 'Keeper raised 1 m'])
  drag('stand', [0, 1, 0], 'Escape')
  expect(now()?.offset[0]).toBeCloseTo(1, 2)
  expect(useSetup.getState().pending).toHaveLength(3)
})
