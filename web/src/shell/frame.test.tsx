import { QueryClient, QueryClientProvider } from '@tanstack/react-query'
import { cleanup, fireEvent, render, screen } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { afterEach, expect, test, vi } from 'vitest'
import type { Reading, Setup, Share, Warmth } from '../api.gen'

vi.mock('../kernel/client', () => ({
  api: { edit: vi.fn(() => new Promise(() => undefined)), next: vi.fn(), weigh: vi.fn(() => new Promise(() => undefined)) },
  called: () => 'Heron', windowName: 'here', Refused: class extends Error {}, Busy: class extends Error {},
}))

const { bindings, commands, runKey } = await import('./commands')
const { Finder, score } = await import('./Finder')
const { goToStep, usePanes } = await import('../kernel/panes')
const { Splitter } = await import('../ui/Splitter')
const { Ask } = await import('../ui/Ask')
const { askFor } = await import('../ui/askFor')
const { Budget } = await import('../features/budget/Budget')
const { Shelf } = await import('../features/shelf/Shelf')
const { useSetup } = await import('../kernel/store')
const { Ladder } = await import('../features/ladder/Ladder')
const { WeighPanel, why } = await import('../features/weigh/WeighPanel')
const { useLook } = await import('../kernel/look')
const { legend } = await import('../picture/ways')

const queries = new QueryClient({ defaultOptions: { queries: { staleTime: Infinity } } })
queries.setQueryData(['targets'], [{ id: 't', name: 'Console', limits: { ms: 4 } }])

afterEach(cleanup)

test('no two commands have the same key', () => {
  const keys = commands.map((c) => c.keys).filter(Boolean)
  expect(keys.filter((k, i) => keys.indexOf(k) !== i)).toEqual([])
})

test('keys do what they are for, with just what is held, and nothing else', () => {
  const press = (k: string, o: KeyboardEventInit = {}) => {
    const e = new KeyboardEvent('keydown', { key: k, cancelable: true, ...o })
    runKey(e)
    return e.defaultPrevented
  }
  expect(bindings('Ctrl Shift Z')).toEqual(['$mod+Shift+Z'])
  expect(bindings('?')).toEqual(['?', 'Shift+?'])
  expect(press('t')).toBe(true)
  expect(useLook.getState().thirds).toBe(true)
  expect(press('T', { shiftKey: true })).toBe(true)
  expect(useLook.getState().thirds).toBe(true) // another command
  expect(press('t', { ctrlKey: true })).toBe(false)
  expect(press('\u00e4')).toBe(false)
  expect(press('?', { shiftKey: true })).toBe(true)
  expect(useLook.getState().sheet).toBe(true)
  expect(press('?')).toBe(true)
  expect(useLook.getState().sheet).toBe(false)
  expect(press('9')).toBe(false) // no ninth view
})

test('the finder finds by words, in any order, and runs what was found', async () => {
  expect(score('Back to the saved view', 'view back')).toBeGreaterThan(0)
  expect(score('Back to the saved view', 'fog')).toBe(-1)
  useLook.setState({ finder: true, safe: false })
  render(<Finder />)
  const box = await screen.findByRole('textbox', { name: 'Find a command' })
  await userEvent.type(box, 'safe are{Enter}')
  expect(useLook.getState().safe).toBe(true)
  expect(useLook.getState().finder).toBe(false)
})

test('a pane is resized by the keyboard and remembered', () => {
  window.innerWidth = 1280
  render(<Splitter which="side" />)
  const before = usePanes.getState().side
  fireEvent.keyDown(screen.getByRole('separator'), { key: 'ArrowLeft' })
  expect(usePanes.getState().side).toBe(before + 10)
  expect(JSON.parse(localStorage.getItem('willowherb.panes') ?? '{}')['Heron/light'].side).toBe(before + 10)
  // Another step of the work is laid out apart.
  goToStep('scene')
  expect(usePanes.getState().side).toBe(before)
  goToStep('light')
  expect(usePanes.getState().side).toBe(before + 10)
})

test('a question gives its answer only if there is a new one', async () => {
  const answer = vi.fn()
  render(<Ask />)
  askFor('Name of the view', 'Hall', answer)
  const box = await screen.findByRole('textbox')
  await userEvent.clear(box)
  await userEvent.type(box, 'Culvert{Enter}')
  expect(answer).toHaveBeenCalledWith('Culvert')
})

const share = (o: Partial<Share>): Share => ({ light: 'a', direct: 0, bounced: 0, seen: 0, air: 0, share: 0, lux: 0, straight: 0, reason: 'lit', by: '', ...o })

test('what a light gives at a point, and why it gives nothing, is said', () => {
  expect(why(share({ reason: 'shadow', by: 'Pumps' }))).toBe('shadowed by Pumps')
  expect(why(share({ reason: 'range' }))).toBe('out of range')
  const doc = { lights: { a: { name: 'Lantern', colour: { kelvin: 3000 } }, b: { name: 'Rim', colour: { kelvin: 3000 } } }, groups: {} } as unknown as Setup
  const reading: Reading = {
    hit: true, object: 'Hall floor', path: '', material: 'Wet concrete', position: [0, 0, 0], normal: [0, 1, 0], distance: 7, luminance: 2, colour: [2, 2, 2], lux: 40,
    shares: [share({ direct: 1.5, bounced: 0.5, share: 1, lux: 40, straight: 30 }), share({ light: 'b', reason: 'cone' })],
  }
  const warmth: Warmth = { minKelvin: 1000, maxKelvin: 10000, colours: [[2, 0.8, 0], [1, 1, 1]] }
  render(<WeighPanel reading={reading} doc={doc} warmth={warmth} title="Weighed here" />)
  const text = screen.getByRole('region', { name: 'Weighed here' }).textContent
  for (const part of ['Hall floor', '2.00 cd/m²', 'EV 4.0', '40.0 lx', 'direct 75, bounced 25', 'Rim outside the cone']) expect(text).toContain(part)
})

test('measured colours have a legend in real units', () => {
  expect(legend('zones', 5)).toHaveLength(12)
  expect(legend('luminance', 6).at(-1)?.words).toContain('cd/m²')
  expect(legend('illuminance', 6).at(-1)?.words).toContain('lx')
  expect(legend('picture', 6)).toEqual([])
})

test('what has not been counted is shown as not known', () => {
  const view = { order: 0, eye: [0, 0, 0], aim: [0, 0, -1], roll: 0, fovY: 40, aspect: 1.6, ev: 4 }
  const doc = { target: 't', views: { a: { ...view, name: 'Hall' }, b: { ...view, name: 'Culvert' } }, lights: {}, curve: 'plain' } as unknown as Setup
  const counted = { lights: {}, ms: 3.1, ownMs: 3.1, mb: 2, limitMs: 4, limitMB: 64, passes: [], features: { surfaces: 3.1 }, memory: [], counts: {}, overlap: 0, shadows: 0, unknown: [] }
  const figures = { type: 'figures', revision: 1, thumb: 0 }
  useSetup.setState({ id: 1, doc, view: 'a', figures: { a: { ...figures, view: 'a' }, b: { ...figures, view: 'b', budget: counted } } as never })
  render(<QueryClientProvider client={queries}><Budget /></QueryClientProvider>)
  expect(screen.getByText('being counted')).toBeTruthy()
  cleanup()
  useSetup.setState({ view: 'b' })
  render(<QueryClientProvider client={queries}><Budget /></QueryClientProvider>)
  expect(screen.getByText(/worst of 1 counted, 1 to come: Culvert 3\.1 ms/)).toBeTruthy()
  render(<Shelf />)
  expect(screen.getByRole('button', { name: /Hall/ }).textContent).toContain('· · · ms')
  expect(screen.getByRole('button', { name: /Culvert/ }).textContent).toContain('3.1 ms')
})

test('before the first picture the ladder draws no histogram', () => {
  useLook.setState({ histogram: [] })
  const { container } = render(<Ladder />)
  expect(container.querySelector('.histogram')).toBeNull()
  expect(container.innerHTML).not.toContain('NaN')
})
