import { act, cleanup, fireEvent, render, screen, within } from '@testing-library/react'
import { QueryClient, QueryClientProvider } from '@tanstack/react-query'
import userEvent from '@testing-library/user-event'
import { afterEach, beforeEach, expect, test, vi } from 'vitest'
import type { FrameNews, Light, Setup, Warmth } from '../../api.gen'
import { useLook } from '../../kernel/look'
import { useSetup } from '../../kernel/store'

vi.mock('../../kernel/client', () => ({ api: { edit: vi.fn(() => new Promise(() => undefined)), next: vi.fn() }, called: () => 'Heron', windowName: 'here', Refused: class extends Error {}, Busy: class extends Error {} }))

// jsdom has no pointer capture.
HTMLElement.prototype.setPointerCapture = () => undefined
// jsdom lays nothing out: the list is given a height to fill.
Object.defineProperty(HTMLElement.prototype, 'clientHeight', { value: 600 })
Object.defineProperty(HTMLElement.prototype, 'clientWidth', { value: 446 })

const { Ledger } = await import('./Ledger')
await import('./OpenLight') // it comes later in the browser, and takes its time here

const warmth: Warmth = { minKelvin: 1000, maxKelvin: 10000, colours: [[2, 0.8, 0], [1, 1, 1]] }
const lamp = (name: string, order: number, over: Partial<Light> = {}): Light => ({
  name, group: 'hall', order, kind: 'point', output: 100, stops: 0, colour: { kelvin: 3000 }, off: false, position: [0, 0, 0], aim: [0, -1, 0], roll: 0, radius: 0, width: 0, height: 0,
  angle: 0, inner: 0, outer: 0, range: 6, shadow: true, shadowMap: 512, carry: 'live', channels: 255, ...over,
})
const layer = (d: number) => ({ version: 1, scales: [1, 0, 0, 0], direct: [d, d, d], bounced: [0, 0, 0], seen: [0, 0, 0], reflected: [0, 0, 0], air: [0, 0, 0] })

beforeEach(() => {
  const doc: Setup = { version: 1, name: 'n', target: 't', curve: 'plain', groups: { hall: { name: 'Hall lamps', order: 0, trim: 0, off: false } }, lights: { a: lamp('Lantern', 1), b: lamp('Rim', 2, { stops: 1 }) }, views: {}, looks: {}, zones: {}, references: {}, objects: {}, materials: {}, backdrops: {}, channels: {}, targets: {}, routes: {} }
  useSetup.setState({
    id: 1, confirmed: doc, kept: doc, bare: doc, doc, pending: [], draft: [], view: 'v', sight: 's', draftLamps: null, thumbs: {}, figures: {},
    lamps: { a: { key: 'ka', perOutput: 1, shines: false, perUnit: {}, colour: [1, 1, 1] }, b: { key: 'kb', perOutput: 1, shines: false, perUnit: {}, colour: [1, 1, 1] } },
    frames: { s: { 2: { type: 'frame', level: 2, frame: 'f', layers: { ka: layer(1), kb: layer(0.5) } } as unknown as FrameNews } },
  })
  useLook.setState({ alone: new Set(), chosen: null, picked: new Set(), open: new Set() })
  render(
    <QueryClientProvider client={new QueryClient()}>
      <Ledger warmth={warmth} />
    </QueryClientProvider>,
  )
})
afterEach(cleanup)

const row = (name: string) => document.querySelector<HTMLElement>(`[data-row][aria-label^="${name}"]`) as HTMLElement
const stops = (id: string) => useSetup.getState().doc?.lights[id]?.stops

test('a row says what the light gives', () => {
  // 1 and 0.5 twice as strong: half each.
  expect(screen.getByTestId('gives-a').textContent).toBe('50%')
  expect(screen.getByTestId('gives-b').textContent).toBe('50%')
})

test('a group says what its lights give together', () => {
  expect(document.querySelector('[data-group=hall] .share')?.textContent).toBe('100%')
})

test('keys: stops, off, alone, open', async () => {
  row('Lantern').focus()
  await userEvent.keyboard('{ArrowRight}')
  expect(stops('a')).toBeCloseTo(1 / 3, 3)
  await userEvent.keyboard('0')
  expect(stops('a')).toBe(0)
  await userEvent.keyboard('o')
  expect(useSetup.getState().doc?.lights.a?.off).toBe(true)
  await userEvent.keyboard('a')
  expect([...useLook.getState().alone]).toEqual(['a'])
  await userEvent.keyboard('{Enter}')
  expect(await screen.findByRole('region', { name: 'Lantern, opened' }, { timeout: 8000 })).toBeTruthy()
  await userEvent.keyboard('{ArrowDown}')
  expect(document.activeElement).toBe(row('Rim'))
})

test('every edit has a name for undo', async () => {
  row('Rim').focus()
  await userEvent.keyboard('{ArrowLeft}')
  expect(useSetup.getState().pending.at(-1)?.label).toBe('Rim −0.33 st')
})

test('a number typed into the stops', async () => {
  const box = within(row('Rim')).getByRole('textbox', { name: 'Rim stops, number' })
  await userEvent.click(box)
  await userEvent.keyboard('-1.5{Enter}')
  expect(stops('b')).toBe(-1.5)
})

test('renamed in place; an empty name is not taken', async () => {
  fireEvent.doubleClick(within(row('Rim')).getByText('Rim'))
  await userEvent.keyboard('{Control>}a{/Control}{Backspace}Rim, window{Enter}')
  expect(useSetup.getState().doc?.lights.b?.name).toBe('Rim, window')
  fireEvent.doubleClick(within(row('Rim, window')).getByText('Rim, window'))
  await userEvent.keyboard('{Control>}a{/Control}{Backspace}{Enter}')
  expect(useSetup.getState().doc?.lights.b?.name).toBe('Rim, window')
})

test('a group turns its lights off together and trims them', async () => {
  row('Group Hall lamps').focus()
  await userEvent.keyboard('{ArrowRight}')
  expect(useSetup.getState().doc?.groups.hall?.trim).toBeCloseTo(1 / 3, 3)
  await userEvent.keyboard('o')
  expect(row('Lantern').classList.contains('is-off')).toBe(true)
})

test('lights chosen together are edited together, and keep their differences', async () => {
  const user = userEvent.setup()
  await user.click(within(row('Lantern')).getByText('Lantern'))
  await user.keyboard('{Control>}')
  await user.click(within(row('Rim')).getByText('Rim'))
  await user.keyboard('{/Control}')
  expect([...useLook.getState().picked]).toEqual(['a', 'b'])
  row('Lantern').focus()
  await user.keyboard('{ArrowRight}')
  expect(stops('a')).toBeCloseTo(1 / 3, 3)
  expect(stops('b')).toBeCloseTo(4 / 3, 3)
  expect(useSetup.getState().pending).toHaveLength(1)
  expect(useSetup.getState().pending.at(-1)?.label).toBe('2 lights +0.33 st')
})

test('a filter leaves the rows that fit', async () => {
  await userEvent.type(screen.getByRole('searchbox', { name: 'Find and filter lights' }), 'rim')
  expect(row('Rim')).toBeTruthy()
  expect(row('Lantern')).toBeNull()
})

test('a locked light is left alone', async () => {
  const { confirmed } = useSetup.getState()
  if (!confirmed) throw new Error('no document')
  const doc = structuredClone(confirmed)
  if (doc.lights.a) doc.lights.a.locked = true
  act(() => useSetup.setState({ doc, confirmed: doc, kept: doc, bare: doc }))
  row('Lantern').focus()
  await userEvent.keyboard('{ArrowRight}o')
  expect(stops('a')).toBe(0)
  expect(useSetup.getState().doc?.lights.a?.off).toBe(false)
})

test('temperatures of lights chosen together keep their difference', async () => {
  const user = userEvent.setup()
  const { confirmed } = useSetup.getState()
  if (!confirmed) throw new Error('no document')
  const doc = structuredClone(confirmed)
  if (doc.lights.b) doc.lights.b.colour = { kelvin: 5000 }
  act(() => {
    useSetup.setState({ doc, confirmed: doc, kept: doc, bare: doc })
    useLook.setState({ picked: new Set(['a', 'b']), chosen: 'a', open: new Set(['a']) })
  })
  await user.click(screen.getByRole('textbox', { name: 'Lantern temperature in K' }))
  await user.keyboard('v+500{Enter}')
  const now = useSetup.getState().doc?.lights
  expect([now?.a?.colour.kelvin, now?.b?.colour.kelvin]).toEqual([3500, 5500])
})

test('a lock is closed and opened by the mouse', async () => {
  await userEvent.click(within(row('Rim')).getByRole('button', { name: 'Rim locked' }))
  expect(useSetup.getState().doc?.lights.b?.locked).toBe(true)
  await userEvent.click(within(row('Rim')).getByRole('button', { name: 'Rim locked' }))
  expect(useSetup.getState().doc?.lights.b?.locked).toBe(false)
})
