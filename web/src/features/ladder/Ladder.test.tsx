import { act, cleanup, fireEvent, render, screen } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { afterEach, beforeEach, expect, test, vi } from 'vitest'
import type { Setup } from '../../api.gen'
import { useLook } from '../../kernel/look'
import { useSetup } from '../../kernel/store'

vi.mock('../../kernel/client', () => ({ called: () => 'Heron', api: { edit: vi.fn(() => new Promise(() => undefined)), next: vi.fn() }, windowName: 'here', Refused: class extends Error {}, Busy: class extends Error {} }))

const { Ladder } = await import('./Ladder')
const { binsPerStop, evHigh, evLow } = await import('../../picture/histogram')

// jsdom has no pointer capture.
Element.prototype.setPointerCapture = () => undefined

const ev = () => useSetup.getState().doc?.views.hall?.ev

beforeEach(() => {
  const doc = { version: 1, name: 'n', target: 't', curve: 'shoulder', groups: {}, lights: {}, looks: {}, zones: {}, references: {}, objects: {}, materials: {}, backdrops: {}, channels: {}, targets: {}, routes: {}, views: { hall: { name: 'Hall', order: 0, eye: [0, 0, 0], aim: [0, 0, -1], roll: 0, fovY: 40, aspect: 1.5, ev: 6 } } } as Setup
  useSetup.setState({ id: 1, confirmed: doc, kept: doc, bare: doc, doc, pending: [], draft: [], view: 'hall' })
  useLook.setState({ histogram: [], spot: null })
  render(<Ladder />)
})
afterEach(cleanup)

const scale = () => screen.getByRole('slider', { name: 'Held exposure in EV' })

test('arrows move the exposure by thirds, with Shift by tenths, each a named edit', async () => {
  scale().focus()
  await userEvent.keyboard('{ArrowUp}')
  expect(ev()).toBeCloseTo(6.33, 2)
  await userEvent.keyboard('{Shift>}{ArrowDown}{/Shift}')
  expect(ev()).toBeCloseTo(6.23, 2)
  expect(useSetup.getState().pending.map((p) => p.label)).toEqual(['Hall exposure EV 6.3', 'Hall exposure EV 6.2'])
})

test('a drag is one edit, and a mere click none', () => {
  fireEvent.pointerDown(scale(), { clientY: 200, pointerId: 1 })
  fireEvent.pointerUp(scale(), { clientY: 200, pointerId: 1 })
  expect(useSetup.getState().pending).toHaveLength(0)
  expect(ev()).toBe(6)
  fireEvent.pointerDown(scale(), { clientY: 200, pointerId: 1 })
  for (const y of [180, 160, 140]) fireEvent.pointerMove(scale(), { clientY: y, pointerId: 1 })
  const under = ev() ?? 0
  expect(under).toBeGreaterThan(6)
  expect(useSetup.getState().pending).toHaveLength(0)
  fireEvent.pointerUp(scale(), { clientY: 140, pointerId: 1 })
  expect(useSetup.getState().pending).toHaveLength(1)
  expect(ev()).toBeCloseTo(under, 2)
})

test('the ladder says how much of the picture lies over white and in deep shadow', () => {
  expect(scale().getAttribute('aria-valuetext')).toBe('EV 6.0, 0.0 % of the picture clipped, 0.0 % buried')
  const at = (v: number) => Math.floor((v - evLow) * binsPerStop)
  const bins = Array.from({ length: (evHigh - evLow) * binsPerStop }, (_, i) => (i === at(14) ? 0.25 : i === at(6) ? 0.75 : 0))
  act(() => useLook.setState({ histogram: bins }))
  expect(scale().getAttribute('aria-valuetext')).toContain('25 % of the picture clipped')
})
