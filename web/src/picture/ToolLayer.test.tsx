import { act, cleanup, fireEvent, render, screen, waitFor } from '@testing-library/react'
import { afterEach, beforeEach, expect, test, vi } from 'vitest'
import type { Light, Placed, PlaceAsk, Setup } from '../api.gen'

const place = vi.fn<(id: number, q: PlaceAsk) => Promise<Placed>>()
vi.mock('../kernel/client', () => ({ api: { edit: vi.fn(() => new Promise(() => undefined)), next: vi.fn(), place: (id: number, q: PlaceAsk) => place(id, q) }, called: () => 'Heron', windowName: 'here', Refused: class extends Error {}, Busy: class extends Error {} }))

const { ToolLayer } = await import('./ToolLayer')
const { startTool, endTool, useTool } = await import('./tool')
const { useSetup } = await import('../kernel/store')

HTMLElement.prototype.getBoundingClientRect = () => ({ left: 0, top: 0, width: 100, height: 50, x: 0, y: 0, right: 100, bottom: 50, toJSON: () => '' })
// jsdom has no pointer events: what the layer reads of them is what a mouse event has.
globalThis.PointerEvent ??= MouseEvent as never

const lamp = { name: 'Key', group: '', order: 1, kind: 'spot', output: 100, stops: 1, colour: { kelvin: 3000 }, off: false, position: [0, 3, 0], aim: [0, -1, 0], roll: 0, radius: 0.1, inner: 10, outer: 20, range: 6, shadow: true, channels: 255 } as unknown as Light
const now = () => (useSetup.getState().doc as Setup).lights.a as Light
const layer = () => document.querySelector('.tool-layer') as HTMLElement
const at = (x: number, y: number) => ({ clientX: x * 100, clientY: y * 50, button: 0 })

beforeEach(() => {
  const doc = { version: 1, name: 'n', target: 't', curve: 'plain', groups: {}, lights: { a: lamp }, views: {}, looks: {} } as unknown as Setup
  useSetup.setState({ id: 1, confirmed: doc, kept: doc, bare: doc, doc, pending: [], draft: [], lamps: {}, draftLamps: null })
  place.mockReset()
  act(() => endTool(true))
  render(<ToolLayer colourAt={(x) => Promise.resolve(x > 0.5 ? [2, 1, 0.5] : [0, 0, 0])} />)
})
afterEach(cleanup)

test('the pointer shows what a click would do; only the click keeps it', async () => {
  place.mockResolvedValue({ able: true, words: 'Pumps stand in the way', position: [1.00049, 2, 3], aim: [0, 0, -1], at: [0, 0, 0], distance: 3.7 })
  act(() => startTool('highlight', 'a'))
  fireEvent.pointerMove(layer(), at(0.4, 0.5))
  await waitFor(() => expect(screen.getByRole('status').textContent).toContain('3.7 m away · Pumps stand in the way'))
  expect(now().position).toEqual([1, 2, 3])
  expect(useSetup.getState().pending).toHaveLength(0)
  expect(place.mock.calls[0]?.[1]).toMatchObject({ how: 'highlight', light: 'a', x: 0.4, y: 0.5 })
  fireEvent.pointerUp(layer(), at(0.4, 0.5))
  await waitFor(() => expect(useSetup.getState().pending.at(-1)?.label).toBe('Key highlight landed'))
  expect(useTool.getState().kind).toBeNull()
})

test('leaving the tool leaves the light as it was', async () => {
  place.mockResolvedValue({ able: true, words: '', position: [9, 9, 9], at: [0, 0, 0], distance: 1 })
  act(() => startTool('aim', 'a'))
  fireEvent.pointerMove(layer(), at(0.2, 0.2))
  await waitFor(() => expect(now().position).toEqual([9, 9, 9]))
  fireEvent.click(screen.getByText('leave it (Esc)'))
  expect(now().position).toEqual([0, 3, 0])
  expect(document.querySelector('.tool-layer')).toBeNull()
})

test('what cannot be done says why, and keeps the tool in hand', async () => {
  place.mockResolvedValue({ able: false, words: 'The mirror direction goes into the wall there.', at: [0, 0, 0], distance: 0 })
  act(() => startTool('highlight', 'a'))
  fireEvent.pointerUp(layer(), at(0.4, 0.5))
  await waitFor(() => expect(screen.getByRole('status').textContent).toContain('goes into the wall'))
  expect(layer().className).toContain('cannot')
  expect(useSetup.getState().pending).toHaveLength(0)
})

test('a click made while the tool before is still being answered is kept under its own name', async () => {
  let answer: (p: Placed) => void = () => undefined
  place.mockReturnValueOnce(new Promise((r) => (answer = r)))
  place.mockResolvedValue({ able: true, words: '', position: [1, 1, 1], at: [0, 0, 0], distance: 1 })
  act(() => startTool('mirror', 'a'))
  fireEvent.pointerMove(layer(), at(0.4, 0.9))
  act(() => endTool())
  act(() => startTool('graze', 'a'))
  fireEvent.pointerUp(layer(), at(0.5, 0.6))
  expect(place).toHaveBeenCalledTimes(1)
  answer({ able: false, words: 'no', at: [0, 0, 0], distance: 0 })
  await waitFor(() => expect(useSetup.getState().pending.map((p) => p.label)).toEqual(['Key grazes an edge']))
})

test('a shadow wants two clicks: what casts it, and where its edge falls', async () => {
  place.mockResolvedValue({ able: true, words: '', position: [1, 1, 1], at: [0, 0, 0], distance: 1 })
  act(() => startTool('shadow', 'a'))
  fireEvent.pointerMove(layer(), at(0.1, 0.1))
  fireEvent.pointerUp(layer(), at(0.1, 0.2))
  await waitFor(() => expect(document.querySelector('.first')).toBeTruthy())
  expect(place).not.toHaveBeenCalled()
  fireEvent.pointerUp(layer(), at(0.8, 0.9))
  await waitFor(() => expect(useSetup.getState().pending).toHaveLength(1))
  expect(place.mock.calls.at(-1)?.[1]).toMatchObject({ fromX: 0.1, fromY: 0.2, x: 0.8, y: 0.9 })
})

test('holding adds the stops that the distance takes', async () => {
  place.mockResolvedValueOnce({ able: true, words: '', aim: [0, -1, 0], at: [0, 0, 0], distance: 0 })
  place.mockResolvedValue({ able: true, words: '', position: [0, 6, 0], stops: 2, at: [0, 0, 0], distance: 6 })
  act(() => startTool('hold', 'a'))
  fireEvent.pointerUp(layer(), at(0.5, 0.5))
  await waitFor(() => expect(document.querySelector('.first')).toBeTruthy())
  fireEvent.pointerUp(layer(), at(0.7, 0.5))
  await waitFor(() => expect(useSetup.getState().pending).toHaveLength(1))
  expect(now()).toMatchObject({ position: [0, 6, 0], stops: 3 })
  // A fifth of the width is a doubling: three metres become six.
  expect(place.mock.calls.at(-1)?.[1].distance).toBeCloseTo(6)
})

test('a colour is picked from the picture, and dark places have none', async () => {
  act(() => startTool('colour', 'a'))
  fireEvent.pointerUp(layer(), at(0.2, 0.5))
  await waitFor(() => expect(screen.getByRole('status').textContent).toContain('no light to take a colour from'))
  fireEvent.pointerUp(layer(), at(0.8, 0.5))
  // 2, 1, 0.5 has the luminance 1.1765.
  await vi.waitFor(() => expect(now().colour.rgb?.map((v) => +v.toFixed(2))).toEqual([1.7, 0.85, 0.42]))
})

test('a light that the server does not have yet is asked about once it has it', async () => {
  place.mockResolvedValue({ able: true, words: '', position: [1, 2, 3], at: [0, 0, 0], distance: 1 })
  useSetup.setState({ pending: [{ seq: 1, ops: [], label: 'New light Key', base: 0 }] })
  act(() => startTool('highlight', 'a'))
  fireEvent.pointerMove(layer(), at(0.4, 0.5))
  await new Promise((r) => setTimeout(r, 20))
  expect(place).not.toHaveBeenCalled()
  act(() => useSetup.setState({ pending: [] }))
  await waitFor(() => expect(place).toHaveBeenCalledTimes(1))
})
