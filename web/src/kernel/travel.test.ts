import { expect, test } from 'vitest'
import { back, carried, turned, unturned } from './travel'

// A quarter turn about the upright axis, then three metres along x.
const m = [0, 0, 1, 3, 0, 1, 0, 0, -1, 0, 0, 0.5] as never

test('a frame carries places and turns directions, and both come back', () => {
  expect(carried(m, [1, 2, 3])).toEqual([6, 2, -0.5])
  expect(turned(m, [0, 0, 1])).toEqual([1, 0, 0])
  expect(back(m, carried(m, [1, 2, 3]))).toEqual([1, 2, 3])
  expect(unturned(m, turned(m, [0.2, -0.5, 0.7])).map((v) => +v.toFixed(9))).toEqual([0.2, -0.5, 0.7])
})
