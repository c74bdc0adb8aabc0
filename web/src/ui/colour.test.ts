import { expect, test } from 'vitest'
import { hexToLinear, linearToHex } from './colour'

// IEC 61966-2-1: code 188 is 0.5029 of white, the straight part ends at 0.0031308.
test('codes of the screen are linear light by the standard', () => {
  expect(hexToLinear('#bcbcbc')[0]).toBeCloseTo(0.5029, 4)
  expect(hexToLinear('#0a0000')[0]).toBeCloseTo(10 / 255 / 12.92, 6)
  expect(hexToLinear('#ff8000')).toEqual([1, expect.closeTo(0.21586, 5), 0])
})

test('every code comes back, and light outside the screen is its end', () => {
  for (let v = 0; v < 256; v++) {
    const hex = `#${v.toString(16).padStart(2, '0')}40ff`
    expect(linearToHex(hexToLinear(hex))).toBe(hex)
  }
  expect(linearToHex([7, -0.2, 0.5])).toBe('#ff00bc')
})
