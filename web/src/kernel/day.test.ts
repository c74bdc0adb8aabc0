import { beforeEach, expect, test, vi } from 'vitest'
import type { Day, DayAsk, Plan, Setup } from '../api.gen'

const day = vi.fn<(id: number, q: DayAsk) => Promise<Plan>>()
vi.mock('./client', () => ({ api: { day: (id: number, q: DayAsk) => day(id, q), edit: vi.fn(() => new Promise(() => undefined)), next: vi.fn() }, called: () => 'Heron', windowName: 'here', Refused: class extends Error { fault = { what: 'turbidity is 0', remedy: '' } }, Busy: class extends Error {} }))

const { bearing, clock, dayNow, fromClock, setDay, sunOf, useDay } = await import('./day')
const { useSetup } = await import('./store')
const { Refused } = await import('./client')

const noon = { byClock: true, latitude: 53, longitude: 0, date: '2026-10-14', hour: 12, zone: 0, north: 0, sun: 'low', dome: 'sky', sky: { sunHeight: 20, sunAzimuth: 180, turbidity: 2, clouds: 0, albedo: 0.2 } } as Day
const planOf = (d: Day): Plan => ({ day: d, facts: { sunHeight: d.hour } as Plan['facts'], ops: [{ op: 'add', path: '/day', value: d }] })

beforeEach(() => {
  const doc = { version: 1, name: 'n', lights: { low: { kind: 'sun' }, sky: { kind: 'sky' } }, views: {}, groups: {} } as unknown as Setup
  useSetup.setState({ id: 1, confirmed: doc, kept: doc, bare: doc, doc, pending: [], draft: [], said: '' })
  day.mockReset()
})

test('an hour is written and read as clocks have it', () => {
  expect(clock(17.5)).toBe('17:30')
  expect(clock(9.999)).toBe('10:00')
  expect(['17:30', '17.5', ' 7 ', '24:00', '24:01', '12:60', 'noon', '-1'].map(fromClock)).toEqual([17.5, 17.5, 7, 24, null, null, null, null])
})

test('a bearing is where a sun stands that shines along an aim', () => {
  expect(bearing([0, -1, 0]).height).toBeCloseTo(90)
  const east = bearing([-1, -1, 0]) // it shines to the west
  expect(east.height).toBeCloseTo(45)
  expect(east.azimuth).toBeCloseTo(90)
  expect(bearing([0, -0.5, 1]).azimuth).toBeCloseTo(0) // from the north, which is -Z
})

test('the sun of the day is the one that followed it, or the first', () => {
  const lights = { a: { kind: 'spot' }, b: { kind: 'sun' }, c: { kind: 'sun' } } as never
  expect(sunOf({ ...noon, sun: 'c' }, lights)).toBe('c')
  expect(sunOf({ ...noon, sun: 'a' }, lights)).toBe('b')
  expect(sunOf(null, undefined)).toBeNull()
})

test('while the hand moves only the latest wish is asked for, and only the last is kept', async () => {
  const waiting: ((p: Plan) => void)[] = []
  day.mockImplementation(() => new Promise((done) => waiting.push(done)))
  for (const hour of [13, 14, 15]) setDay({ ...noon, hour }, '', false)
  expect(day).toHaveBeenCalledOnce()
  setDay({ ...noon, hour: 16 }, 'Hour 16:00', true)
  waiting[0]?.(planOf({ ...noon, hour: 13 }))
  await vi.waitFor(() => expect(day).toHaveBeenCalledTimes(2))
  expect(useSetup.getState().draft).toEqual([]) // another wish was there already
  expect(day.mock.calls[1]?.[1].day?.hour).toBe(16)
  expect(dayNow()?.hour).toBe(16) // where the next key goes on from
  waiting[1]?.(planOf({ ...noon, hour: 16 }))
  await vi.waitFor(() => expect(useSetup.getState().pending.at(-1)?.label).toBe('Hour 16:00'))
  expect(useSetup.getState().doc?.day?.hour).toBe(16)
  expect(useDay.getState().facts?.sunHeight).toBe(16)
  await vi.waitFor(() => expect(useDay.getState().wished).toBeNull())
  expect(dayNow()?.hour).toBe(16)
})

test('what the server refuses is said, and nothing is kept', async () => {
  day.mockRejectedValue(new Refused({ what: '', remedy: '' }, 422))
  setDay({ ...noon, hour: 3 }, 'Hour 3:00', true)
  await vi.waitFor(() => expect(useSetup.getState().said).toBe('turbidity is 0'))
  expect(useSetup.getState().pending).toHaveLength(0)
  expect(useSetup.getState().doc?.day).toBeUndefined()
  expect(useDay.getState().wished).toBeNull()
})
