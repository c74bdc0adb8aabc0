import { expect, test } from 'vitest'
import { becomes, readNumber, stopsText, tidy } from './number'

test.each([
  ['12', 5, 12],
  ['1/3', 5, 1 / 3],
  ['v*2', 5, 10],
  ['v/10', 5, 0.5],
  ['v+1/3', 5, 5 + 1 / 3],
  ['v - 2', 5, 3],
  ['-2', 5, -2],
  ['+2', 5, 2],
  ['−0.3', 5, -0.3],
  ['--2', 5, 2],
  ['2*(v+1)', 5, 12],
  ['(v + 3) / (v - 3)', 5, 4],
  ['10-2-3', 0, 5],
  ['2+3*4', 0, 14],
  ['8/2/2', 0, 2],
  ['-v', 5, -5],
  ['V*2', 5, 10],
  ['800 lm', 5, 800],
  ['3200K', 5, 3200],
  ['35 cm', 5, 0.35],
  ['v + 35 cm', 1, 1.35],
  ['1.2 klm', 0, 1200],
  ['120 cd/m2', 0, 120],
  ['50 %', 0, 0.5],
  ['1,5', 5, 1.5],
  ['.5', 5, 0.5],
  ['1e3', 5, 1000],
  ['v × 3', 2, 6],
])('%s on %d is %d', (text, now, want) => {
  const r = readNumber(text, now)
  expect(r?.value).toBeCloseTo(want, 9)
  expect(r?.change(now)).toBeCloseTo(want, 9)
})

test('stops move the light, not its output', () => {
  expect(readNumber('v+1 st', 640)).toMatchObject({ value: 640, stops: 1 })
  expect(readNumber('v-1/3 st', 640)?.stops).toBeCloseTo(-1 / 3)
  expect(readNumber('v + 2 stops', 640)?.stops).toBe(2)
})

test.each(['', 'abc', '3 apples', 'v/0', '1/0', '*2', '/10', 'v v', '2v', '(1', '1)', 'v+', 'st', 'v+x st', 'constructor', '3 constructor', '1'.repeat(300)])('%s is no number', (text) => {
  expect(readNumber(text, 5)).toBeNull()
})

test('each of several values changes from its own', () => {
  const r = readNumber('v*2+1', 3)
  expect([3, 10, 0].map((v) => r?.change(v))).toEqual([7, 21, 1])
})

test('what a text makes of the value is told while it is typed', () => {
  const say = (text: string, others: number[] = []) => becomes(readNumber(text, 10), text, others, tidy, (v) => Math.min(v, 100))
  expect(say('v*2')).toBe('= 20')
  expect(say('v*20')).toBe('= 100, the limit')
  expect(say('v*2', [20, 30])).toBe('3 lights: 20 to 60')
  expect(say('5', [20, 30])).toBe('3 lights: 5')
  expect(say('v+1 st')).toBe('+1.0 st')
  expect(say('v*')).toBe('no number')
  expect(say(' ')).toBe('')
})

test('numbers are shown short', () => {
  expect(tidy(2150)).toBe('2150')
  expect(tidy(0.03)).toBe('0.03')
  expect(stopsText(-0.3)).toBe('−0.3')
  expect(stopsText(1 / 3)).toBe('+0.33')
})
