import { expect, test } from 'vitest'
import type { FrameNews, Setup, Warmth } from '../api.gen'
import { clipStops, evOf, exposureFactor, finest, gains, gives, settled, temperature } from './sums'

const warmth: Warmth = { minKelvin: 1000, maxKelvin: 10000, colours: [[3, 0.5, 0], [1, 1, 1], [0.8, 1, 1.4]] }
const light = (over: object) => ({ name: 'l', group: 'g', kind: 'point', output: 100, stops: 0, colour: { rgb: [2, 2, 2] }, off: false, ...over })
const doc = (over = {}, group = {}) => ({ groups: { g: { name: 'g', order: 0, trim: 0, off: false, ...group } }, lights: { a: light(over), b: light({}) }, curve: 'plain' }) as unknown as Setup
const lamps = { a: { key: 'ka', perOutput: 0.5, shines: false, perUnit: {}, colour: [1, 1, 1] as [number, number, number] }, b: { key: 'kb', perOutput: 0.5, shines: false, perUnit: {}, colour: [1, 1, 1] as [number, number, number] } }
const none = new Set<string>()

test('a gain is colour of luminance 1 times output, stops and trim', () => {
  expect(gains(doc({ stops: 1 }, { trim: -2 }), lamps, warmth, none).a).toEqual([25, 25, 25])
})

test('off, a group off, and alone', () => {
  expect(gains(doc({ off: true }), lamps, warmth, none).a).toEqual([0, 0, 0])
  expect(gains(doc({}, { off: true }), lamps, warmth, none).b).toEqual([0, 0, 0])
  const alone = gains(doc({ off: true }), lamps, warmth, new Set(['a']))
  expect(alone.a).toEqual([50, 50, 50])
  expect(alone.b).toEqual([0, 0, 0])
})

const layer = (direct: number, bounced: number) => ({ version: 1, scale: 1, direct: [direct, direct, direct], bounced: [bounced, bounced, bounced], seen: [9, 9, 9], reflected: [9, 9, 9], air: [0, 0, 0] })
const frame = (level: number, layers: object) => ({ type: 'frame', level, layers, frame: `f${level}` }) as unknown as FrameNews

test('gives are shares of direct and bounced light; what merely shines is left out', () => {
  const g = gives(frame(2, { ka: layer(3, 1), kb: layer(4, 0) }), lamps, gains(doc(), lamps, warmth, none))
  expect(g.a?.share).toBeCloseTo(0.5)
  expect(g.a?.direct).toBeCloseTo(0.375)
  expect(g.b?.bounced).toBe(0)
})

test('the finest picture is the largest in which every light has a layer', () => {
  const all = { ka: layer(1, 1), kb: layer(1, 1) }
  expect(finest({ 0: frame(0, all), 1: frame(1, all), 2: frame(2, { ka: layer(1, 1) }) }, lamps)?.level).toBe(1)
  expect(finest({}, lamps)).toBeUndefined()
})

test('temperatures are read even in mired and held at the ends', () => {
  expect(temperature(warmth, 500)).toEqual([3, 0.5, 0])
  expect(temperature(warmth, 1e6 / 550)).toEqual([1, 1, 1])
})

test('exposure', () => {
  expect(0.125 * 2 ** 6 * exposureFactor(6)).toBeCloseTo(0.18)
  expect(evOf(0.125 * 2 ** 6)).toBeCloseTo(6)
  expect(clipStops('plain')).toBeCloseTo(2.474, 3)
})

test('how far a picture is from the truth is said in words, and not where it is not known', () => {
  const told = (error: number, settles: number) => settled({ error, clean: 0.016, settles })
  expect(told(0, 0)).toBe('')
  expect(told(0.01, 0)).toBe('clean · ')
  expect(told(0.03, 5.2)).toBe('settles in about 6 s · ')
  expect(told(0.03, 41)).toBe('settles in about 50 s · ')
  expect(told(0.1, 300)).toBe('settles in some minutes · ')
})
