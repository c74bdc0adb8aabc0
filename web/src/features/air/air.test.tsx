import { QueryClient, QueryClientProvider } from '@tanstack/react-query'
import { cleanup, fireEvent, render, screen } from '@testing-library/react'
import { afterEach, expect, test, vi } from 'vitest'
import type { Day, Facts, Light } from '../../api.gen'

vi.mock('../../kernel/day', async (real) => ({ ...(await real<object>()), setDay: vi.fn(), sunTo: vi.fn() }))
const { setDay, sunTo } = vi.mocked(await import('../../kernel/day'))
const { DayPart } = await import('./DayPart')
const { SkyPart } = await import('./SkyPart')
const { Surroundings } = await import('./Surroundings')
const { useSetup } = await import('../../kernel/store')

const day = { byClock: true, latitude: 53, longitude: 0, date: '2026-10-14', hour: 17.5, zone: 0, north: 0, sun: 'low', dome: 'sky', sky: { sunHeight: 4, sunAzimuth: 250, turbidity: 2, clouds: 0.2, albedo: 0.2 } } as Day
const facts = { sunHeight: 4.1, sunAzimuth: 250, sunLux: 2350, skyLux: 3100, sunKelvin: 2784, skyKelvin: 8000, zenith: 420, horizon: 1900, shadow: 14 } as Facts
const client = new QueryClient({ defaultOptions: { queries: { retry: false, staleTime: Infinity } } })
client.setQueryData(['strip', '53,0,2026-10-14,0,0,2,0.2,0.2'], [0, 12, 24].map((hour) => ({ hour, sunHeight: 0, sunLux: 1, skyLux: 10, sunKelvin: 3000, top: '#112233', foot: '#aabbcc' })))
client.setQueryData(['made'], ['marsh dusk'])
const show = (x: React.ReactNode) => render(<QueryClientProvider client={client}>{x}</QueryClientProvider>)
afterEach(() => {
  cleanup()
  setDay.mockClear()
  sunTo.mockClear()
})

test('the day tells its hour and its light, and is stepped by keys', () => {
  show(<DayPart day={day} facts={facts} sun="Low sun" />)
  const strip = screen.getByRole('slider', { name: 'Hour of the day' })
  expect(strip.getAttribute('aria-valuetext')).toBe('17:30, sun 4 degrees high')
  expect(document.body.textContent).toContain('sun 2,350 lx · sky 3,100 lx · 2780 K')
  fireEvent.keyDown(strip, { key: 'ArrowLeft' })
  expect(setDay).toHaveBeenLastCalledWith(expect.objectContaining({ hour: 17.25, byClock: true }), 'Hour 17:15', 'held')
  fireEvent.keyDown(strip, { key: 'PageUp' })
  expect(setDay).toHaveBeenLastCalledWith(expect.objectContaining({ hour: 18.5 }), 'Hour 18:30', 'held')
  const hour = screen.getByRole('textbox', { name: 'Hour' }) as HTMLInputElement
  fireEvent.change(hour, { target: { value: 'late' } })
  fireEvent.blur(hour)
  expect(hour.value).toBe('17:30')
  const date = screen.getByRole('textbox', { name: /^Date/ }) as HTMLInputElement
  for (const wrong of ['2026-02-30', 'soon']) {
    fireEvent.change(date, { target: { value: wrong } })
    fireEvent.blur(date)
    expect(date.value).toBe('2026-10-14')
  }
  fireEvent.change(date, { target: { value: '2026-06-21' } })
  fireEvent.blur(date)
  expect(setDay).toHaveBeenLastCalledWith(expect.objectContaining({ date: '2026-06-21' }), 'Date 2026-06-21', true)
  fireEvent.change(hour, { target: { value: '9.25' } })
  fireEvent.blur(hour)
  expect(setDay).toHaveBeenLastCalledWith(expect.objectContaining({ hour: 9.25 }), 'Hour 09:15', true)
})

test('by hand the sun has a height and an azimuth, and shadows a length', () => {
  show(<DayPart day={{ ...day, byClock: false }} facts={facts} sun="Low sun" />)
  const field = screen.getByRole('textbox', { name: /^Length of a shadow/ })
  fireEvent.focus(field)
  fireEvent.change(field, { target: { value: '1' } })
  fireEvent.blur(field)
  const [, height, azimuth] = sunTo.mock.calls.at(-1) ?? []
  expect(height).toBeCloseTo(45)
  expect(azimuth).toBe(250)
})

test('haze, clouds and ground are told and set in the units of people', () => {
  show(<SkyPart day={day} facts={facts} />)
  expect(document.body.textContent).toContain('43 % from the sun')
  const clouds = screen.getByRole('textbox', { name: /^Clouds/ }) as HTMLInputElement
  expect(clouds.value).toBe('20')
  fireEvent.focus(clouds)
  fireEvent.change(clouds, { target: { value: '55' } })
  fireEvent.blur(clouds)
  expect(setDay.mock.calls.at(-1)?.[0].sky.clouds).toBe(0.55)
})

test('an environment says how far its sun is from ours, is turned to it, and gives it up', () => {
  const sun = { kind: 'sun', name: 'Low sun', aim: [-1, -1, 0], stops: 0, output: 1 } as unknown as Light
  const sky = { kind: 'sky', name: 'Marsh', stops: -1, environment: { blob: 'b', file: 'marsh.exr', turn: 10 } } as unknown as Light
  const lights = { low: sun, env: sky }
  client.setQueryData(['environment', 'b', undefined], { horizontalLux: 2000, meanLuminance: 300, cleaned: 3, width: 8, height: 4, sun: { azimuth: 60, height: 45, lux: 5000, share: 0.5, colour: [1, 0.9, 0.8], radius: 0.5 } })
  const doc = { lights, views: {}, groups: {} } as never
  useSetup.setState({ id: 1, doc, kept: doc, bare: doc, confirmed: doc, pending: [] })
  show(<Surroundings lights={lights} day={undefined} />)
  expect(screen.getByText('marsh dusk')).toBeTruthy()
  expect(document.body.textContent).toContain('its sun 20° off ours')
  expect(document.body.textContent).toContain('1,000 lx on flat ground')
  expect(document.body.textContent).toContain('3 pixels were no light')
  fireEvent.click(screen.getByText('turn it to the sun'))
  expect(useSetup.getState().pending.at(-1)?.ops).toEqual([{ op: 'replace', path: '/lights/env/environment/turn', value: 30 }])
  fireEvent.click(screen.getByText('replace its sun'))
  const ops = Object.fromEntries(useSetup.getState().pending.at(-1)?.ops.map((o) => [o.path, 'value' in o ? o.value : null]) ?? [])
  expect(ops['/lights/env/environment/noSun']).toBe(true)
  expect(ops['/lights/low/output']).toBe(2500)
  // From 70 degrees clockwise of the north, 45 high.
  const aim = ops['/lights/low/aim'] as number[]
  expect(aim[0]).toBeCloseTo(-Math.SQRT1_2 * Math.sin((70 * Math.PI) / 180), 3)
  expect(aim[1]).toBeCloseTo(-Math.SQRT1_2, 3)
  expect(aim[2]).toBeCloseTo(Math.SQRT1_2 * Math.cos((70 * Math.PI) / 180), 3)
})
