import { expect, test } from 'vitest'
import { readNumber, stopsText, tidy } from './number'

test.each([
  ['12', 5, 12],
  ['1/3', 5, 1 / 3],
  ['*2', 5, 10],
  ['/10', 5, 0.5],
  ['+1/3', 5, 5 + 1 / 3],
  ['-2', 5, -2],
  ['800 lm', 5, 800],
  ['3200K', 5, 3200],
  ['35 cm', 5, 0.35],
  ['1,5', 5, 1.5],
  ['−0.3', 5, -0.3],
])('%s on %d is %d', (text, now, want) => {
  expect(readNumber(text, now)?.value).toBeCloseTo(want, 9)
})

test('stops move the light, not its output', () => {
  expect(readNumber('+1 st', 640)).toMatchObject({ value: 640, stops: 1 })
  expect(readNumber('-1/3 st', 640)?.stops).toBeCloseTo(-1 / 3)
})

test.each(['', 'abc', '3 apples', '/0', '1/0'])('%s is no number', (text) => {
  expect(readNumber(text, 5)).toBeNull()
})

test('numbers are shown short', () => {
  expect(tidy(2150)).toBe('2150')
  expect(tidy(0.03)).toBe('0.03')
  expect(stopsText(-0.3)).toBe('−0.3')
  expect(stopsText(1 / 3)).toBe('+0.33')
})
