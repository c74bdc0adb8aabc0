import { expect, test } from 'vitest'
import { counted } from './AskPart'
import { timeOf } from './FinalsPanel'

test('frames are counted as the server counts them', () => {
  expect(counted(0, 24)).toBe(1)
  expect(counted(2, 12.5)).toBe(25)
  expect(counted(0.01, 1)).toBe(1)
})

test('times are said in words', () => {
  expect(timeOf(12.4)).toBe('12 s')
  expect(timeOf(600)).toBe('10 min')
  expect(timeOf(7200)).toBe('2.0 h')
})
