import { describe, expect, it } from 'vitest'
import { between, nearestHeight, type V3 } from './plan'

const stops: V3[] = [
  [0, 0, 0],
  [10, 0, 0],
  [10, 3, 10],
]

describe('a stop on the plan', () => {
  it('goes between the two whose line it lies on', () => {
    expect(between(stops, 5, 0.3, 1)).toBe(1)
    expect(between(stops, 10.2, 4, 1)).toBe(2)
  })
  it('goes after all others elsewhere, beyond an end, and where there is none yet', () => {
    expect(between(stops, 5, 3, 1)).toBe(3)
    expect(between(stops, -0.5, 0, 1)).toBe(3)
    expect(between([], 5, 3, 1)).toBe(0)
    expect(between([[1, 0, 1], [1, 0, 1]], 1, 1, 1)).toBe(2)
  })
  it('lies as high as what is nearest', () => {
    expect(nearestHeight(stops, 9, 9)).toBe(3)
    expect(nearestHeight([], 9, 9)).toBe(0)
  })
})
