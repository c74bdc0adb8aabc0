import { expect, test } from 'vitest'
import type { Light, Plot, Stand } from '../../api.gen'
import { moved, placeOf, ratioStops, rings, round, spotOf } from './geometry'

const plot = { pivot: [2, 1.6, -1], facing: 90, camera: [6, 1.6, -1] } as Plot

test('the camera lies straight below the subject, its right on the right', () => {
  // Facing 90: the camera is towards +X and looks to -X, so that its right is -Z.
  expect(spotOf(plot, [6, 1.6, -1])).toMatchObject({ side: expect.closeTo(0), away: expect.closeTo(-4) })
  expect(spotOf(plot, [2, 1.6, -3]).side).toBeCloseTo(2)
  for (const q of [round(30, 20, 2), round(-120, 60, 5), round(180, 0, 1)]) {
    const back = spotOf(plot, placeOf(plot, q))
    expect([back.side, back.away, back.up].map((v) => v.toFixed(6))).toEqual([q.side, q.away, q.up].map((v) => v.toFixed(6)))
  }
})

test('a moved light keeps its eye on the subject, a sun only turns', () => {
  const l = { kind: 'spot', position: [4, 3, 0], aim: [0, -1, 0] } as unknown as Light
  const aimed = { aimed: true, far: false } as Stand
  const m = moved(plot, l, aimed, round(0, 0, 3))
  expect(m.position).toEqual([5, 1.6, -1])
  expect(m.aim?.map((v) => Math.round(v) + 0)).toEqual([-1, 0, 0])
  expect(moved(plot, l, { aimed: false, far: false } as Stand, round(0, 0, 3)).aim).toBeUndefined()
  expect(moved(plot, l, { aimed: false, far: true } as Stand, round(0, 45, 3)).position).toBeUndefined()
})

test('rings are stops by the inverse square, ratios move the fill', () => {
  expect(rings(2).map((r) => [r.stops, +r.r.toFixed(3)])).toEqual([[-2, 4], [-1, 2.828], [0, 2], [1, 1.414], [2, 1]])
  expect(ratioStops('key to fill', 4, 8)).toBeCloseTo(-1)
  // (key + fill) : fill from 5:1 to 3:1 with the key as it is: the fill is doubled.
  expect(ratioStops('lighting ratio', 5, 3)).toBeCloseTo(1)
})
