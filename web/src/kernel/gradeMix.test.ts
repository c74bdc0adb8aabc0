import { readFileSync } from 'node:fs'
import { expect, test } from 'vitest'
import type { Grade } from '../api.gen'
import { mixGrades } from './gradeMix'

/** near goes through two values, numbers to a millionth; what is nought may be left out. */
function near(a: unknown, b: unknown): boolean {
  if (typeof a === 'number' || typeof b === 'number') return Math.abs(Number(a ?? 0) - Number(b ?? 0)) < 1e-6
  if (a === null || b === null || typeof a !== 'object' || typeof b !== 'object') return (a ?? null) === (b ?? null)
  return [...new Set([...Object.keys(a), ...Object.keys(b)])].every((k) => near((a as Record<string, unknown>)[k], (b as Record<string, unknown>)[k]))
}

test('what lies between two grades is what the server has', () => {
  const pairs = JSON.parse(readFileSync('../core/grade/testdata/mixed.json', 'utf8')) as { A: Grade | null; B: Grade | null; Share: number; Mixed: Grade | null }[]
  expect(pairs.length).toBeGreaterThan(20)
  for (const p of pairs) {
    const got = mixGrades(p.A ?? undefined, p.B ?? undefined, p.Share) ?? null
    if (!near(got, p.Mixed)) expect(got).toEqual(p.Mixed)
  }
})
