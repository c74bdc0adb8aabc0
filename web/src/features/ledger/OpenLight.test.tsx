import { cleanup, fireEvent, render, screen, waitFor, within } from '@testing-library/react'
import { QueryClient, QueryClientProvider } from '@tanstack/react-query'
import { afterEach, beforeEach, expect, test, vi } from 'vitest'
import type { LampFact, Light, Setup, Warmth } from '../../api.gen'

const palette = { gels: [{ id: 'blue-1', name: 'Full blue', rgb: [0.2, 0.3, 0.6] }], patterns: ['leaves', 'panes'], drawn: { bias: 0.02, normal: 1.5, filter: 3, cascades: 0, distance: 60, contact: 0, thickness: 0.3, traced: 0 } }
const who = { ready: true, views: { hall: [{ name: 'Keeper', path: 'Keeper', figure: true, pixels: 50, luminance: 1, by: [{ light: 'a', share: 0.8, direct: 0.7 }] }] } }
const keepProfile = vi.fn()
vi.mock('../../kernel/client', () => ({
  api: { edit: vi.fn(() => new Promise(() => undefined)), next: vi.fn(), palette: () => Promise.resolve(palette), who: () => Promise.resolve(who), shadow: () => Promise.resolve({ hall: { shows: 0.12, held: 0.4, notice: {} } }), curves: () => Promise.resolve({ peak: 900, along: new Array(361).fill(1), across: new Array(361).fill(0.5) }) },
  keepProfile: (f: File) => keepProfile(f) as unknown,
  keepSlide: vi.fn(), called: () => 'Heron', windowName: 'here', Refused: class extends Error {}, Busy: class extends Error {},
}))

HTMLElement.prototype.setPointerCapture = () => undefined

const { OpenLight } = await import('./OpenLight')
const { useSetup } = await import('../../kernel/store')
const { useLook } = await import('../../kernel/look')
const { useTool } = await import('../../picture/tool')

const warmth: Warmth = { minKelvin: 1000, maxKelvin: 10000, colours: [[2, 0.8, 0], [1, 1, 1]] }
const spot = (over: Partial<Light> = {}): Light => ({
  name: 'Key', group: '', order: 1, kind: 'spot', output: 100, stops: 0, colour: { kelvin: 3000 }, off: false, position: [0, 3, 0], aim: [0, -1, 0], roll: 0, radius: 0.1, width: 0, height: 0, angle: 0, inner: 10, outer: 20, range: 6, shadow: true, shadowMap: 512, carry: 'live', channels: 255, ...over,
})
const fact: LampFact = { key: 'k', perOutput: 0.5, shines: false, perUnit: { lm: 0.5, cd: 1, lx: 1, W: 50 }, colour: [1, 1, 1] }
const now = () => (useSetup.getState().doc as Setup).lights

function show(over: Partial<Light> = {}, others: Record<string, Light> = {}) {
  const lights = { a: spot(over), ...others }
  const doc = { version: 1, name: 'n', target: 't', curve: 'plain', groups: {}, lights, looks: {}, views: { hall: { name: 'Hall', order: 0 } }, objects: { keeper: { path: 'Keeper', part: 'mover', offset: [0, 0, 0], pivot: [0, 0, 0], turn: 0 } } } as unknown as Setup
  useSetup.setState({ id: 1, confirmed: doc, kept: doc, bare: doc, doc, pending: [], draft: [], draftLamps: null, view: 'hall', figures: {}, lamps: { a: fact, b: fact }, thumbs: { hall: { samples: 1 } as never } })
  useLook.setState({ picked: new Set(['a']), chosen: 'a' })
  const draw = () => (
    <QueryClientProvider client={client}>
      <OpenLight id="a" l={now().a as Light} warmth={warmth} locked={false} />
    </QueryClientProvider>
  )
  const client = new QueryClient()
  const r = render(draw())
  return () => r.rerender(draw())
}

beforeEach(() => useTool.setState({ kind: null, light: null }))
await import('../../shell/features')

afterEach(cleanup)

const pick = async (label: string, words: RegExp) => {
  fireEvent.mouseDown(screen.getByRole('combobox', { name: label }))
  fireEvent.click(await screen.findByRole('option', { name: words }))
}

test('a rect is marked as an opening for the sky, with others that are picked', () => {
  const again = show({ kind: 'rect', width: 1, height: 2 }, { b: spot({ name: 'Fill', kind: 'rect', width: 1, height: 1 }), c: spot({ name: 'Spot' }) })
  useLook.setState({ picked: new Set(['a', 'b', 'c']) })
  fireEvent.click(screen.getByLabelText('Key is an opening for the sky'))
  expect([now().a?.opening, now().b?.opening, now().c?.opening]).toEqual([true, true, undefined])
  again()
  fireEvent.click(screen.getByLabelText('Key is an opening for the sky'))
  expect(now().a?.opening).toBe(false)
})

test('output is told in another unit without changing the light', async () => {
  const again = show()
  await pick('Key unit', /^cd candela:/)
  expect(now().a).toMatchObject({ unit: 'cd', output: 50 })
  again()
  await pick('Key unit', /^W /)
  expect(now().a?.output).toBeCloseTo(1)
  again()
  expect(screen.getByLabelText('Key efficacy in lm/W')).toBeTruthy()
})

test('a gel, a gobo and doors are put before it and taken away', async () => {
  const again = show()
  await pick('Key gel', /Full blue/)
  expect(now().a?.colour).toMatchObject({ kelvin: 3000, gel: 'blue-1' })
  fireEvent.click(screen.getByText('gobo'))
  again()
  fireEvent.click(await screen.findByLabelText('Gobo leaves'))
  expect(now().a?.gobo).toMatchObject({ pattern: 'leaves', scale: 1 })
  fireEvent.click(screen.getByText('barn doors'))
  again()
  expect(now().a?.doors).toMatchObject({ top: 40, length: 0.3 })
  const doors = screen.getByRole('group', { name: 'Key barn doors' })
  fireEvent.click(within(doors).getByText('take them away'))
  expect(now().a?.doors ?? null).toBeNull()
})

test('a luminaire file gives the light its profile, and its efficiency is told', async () => {
  keepProfile.mockResolvedValueOnce({ blob: 'f'.repeat(64), file: 'bulkhead.ies', flux: 800, lamp: 1000, watts: 10, notes: [] })
  const again = show()
  fireEvent.change(screen.getByLabelText('Key IES file'), { target: { files: [new File(['x'], 'bulkhead.ies')] } })
  await waitFor(() => expect(now().a?.profile?.file).toBe('bulkhead.ies'))
  again()
  const part = screen.getByRole('group', { name: 'Key profile' })
  expect(part.textContent).toContain('800 lm leave it, 80 % of its lamps')
  expect(part.textContent).toContain('80 lm/W')
  fireEvent.click(within(part).getByText('to its output'))
  expect(now().a?.profile?.scaled).toBe(true)
  await screen.findByRole('img', { name: 'Polar curve, peak 900 candela' })
})

test('what carrying it so means, and what its shadow does, is said', async () => {
  show()
  const means = await screen.findByTestId('carry-means')
  expect(means.textContent).toContain('Keeper, which moves and is lit by it in Hall, is lit as it moves')
  expect((await screen.findByTestId('shadow-effect')).textContent).toContain('changes 12 % of Hall, and holds back 40 %')
})

test('linked lights change together, and one leaves the others', () => {
  const link = { link: 'set' }
  const again = show(link, { b: spot({ ...link, name: 'Twin' }) })
  expect(screen.getByText(/Linked with one other/)).toBeTruthy()
  fireEvent.click(screen.getByLabelText('Key Channel 3'))
  expect([now().a?.channels, now().b?.channels]).toEqual([251, 251])
  again()
  fireEvent.click(screen.getByText('unlink'))
  expect([now().a?.link, now().b?.link]).toEqual(['', ''])
})

test('tools are taken in hand, those that fit', () => {
  show()
  const tools = screen.getByRole('group', { name: 'Place Key by its result' })
  expect([...tools.querySelectorAll('button')].map((b) => b.textContent)).toEqual(['highlight', 'shadow', 'graze', 'aim', 'mirror', 'hold'])
  fireEvent.click(within(tools).getByText('graze'))
  expect(useTool.getState()).toMatchObject({ kind: 'graze', light: 'a' })
  fireEvent.click(within(tools).getByText('graze'))
  expect(useTool.getState().kind).toBeNull()
})

test('how the target draws its shadow is opened, set, and given back', async () => {
  const again = show()
  fireEvent.click(await screen.findByText('how the target draws its shadow'))
  const filter = await screen.findByLabelText('Key filter in tx')
  filter.focus()
  fireEvent.change(filter, { target: { value: '5' } })
  fireEvent.keyDown(filter, { key: 'Enter' })
  expect(now().a?.drawn).toMatchObject({ filter: 5, bias: 0.02 })
  again()
  fireEvent.click(screen.getByText('as usual'))
  expect(now().a?.drawn?.filter).toBe(3)
})

test('what matt surfaces show of lights chosen together keeps its differences', async () => {
  show({}, { b: spot({ name: 'Fill', noDiffuse: 0.5 }) })
  useLook.setState({ picked: new Set(['a', 'b']), chosen: 'a' })
  const matt = await screen.findByLabelText('Key matt in %')
  matt.focus()
  fireEvent.change(matt, { target: { value: 'v-20' } })
  expect(screen.getByRole('status').textContent).toBe('2 lights: 30 to 80')
  fireEvent.keyDown(matt, { key: 'Enter' })
  expect([now().a?.noDiffuse, now().b?.noDiffuse].map((v) => Math.round(100 * (v ?? 0)))).toEqual([20, 70])
})
