import { expect, test } from 'vitest'
import { aimed, angle, angles, axes, dolly, framed, lens, look, nearestOnLine, onPlane, orbit, pan, pinched, project, ray, sub, len, norm, dot, walk, type Camera, type V3 } from './camera'

const cam: Camera = { name: '', order: 0, eye: [1, 2, 5], aim: [0.1, -0.2, -1], roll: 7, fovY: 40, aspect: 16 / 9, ev: 5 }
const near = (a: readonly number[], b: readonly number[], d = 9) => a.forEach((v, i) => expect(v).toBeCloseTo(b[i] ?? NaN, d))

test('a place and the ray through where it appears agree', () => {
  for (const p of [[0, 0, 0], [2, 1, -3], [-1, 3, 1]] as V3[]) {
    const q = project(cam, p)
    expect(q).not.toBeNull()
    if (q) near(ray(cam, q.x, q.y), norm(sub(p, cam.eye)))
  }
  expect(project(cam, [1, 2, 9])).toBeNull()
})

test('orbiting keeps what it turns about at its distance and its place in the picture', () => {
  const about: V3 = [0.3, 1, 0]
  const level = { ...cam, roll: 0 }
  const before = project(level, about)
  const o = orbit(level, about, 0.7, 0.2)
  expect(len(sub(o.eye, about))).toBeCloseTo(len(sub(level.eye, about)), 9)
  const after = project(o, about)
  expect(after?.x).toBeCloseTo(before?.x ?? NaN, 6)
  expect(after?.y).toBeCloseTo(before?.y ?? NaN, 6)
})

test('nothing turns the eye over its head', () => {
  expect(look(cam, 0, 3).aim[1]).toBeLessThan(1)
  let c = cam
  for (let i = 0; i < 200; i++) c = look(c, 0.01, 0.05)
  expect(Math.abs(c.aim[1])).toBeLessThan(0.9995)
})

test('panning moves what lies at the distance with the pointer', () => {
  const p: V3 = [0.5, 1, -1]
  const a = project(cam, p)
  if (!a) throw new Error('behind')
  const b = project(pan(cam, a.depth, 0.1, -0.05), p)
  expect(b?.x).toBeCloseTo(a.x + 0.1, 6)
  expect(b?.y).toBeCloseTo(a.y - 0.05, 6)
})

test('a dolly stops short of the place, and keeps it where it is', () => {
  const p: V3 = [0, 0, 0]
  expect(len(sub(dolly(cam, p, 5).eye, p))).toBeGreaterThan(0)
  expect(project(dolly(cam, p, 0.5), p)?.x).toBeCloseTo(project(cam, p)?.x ?? NaN, 9)
})

test('walking stays level', () => {
  expect(walk(cam, 3, 1, 0).eye[1]).toBe(2)
})

test('a framed ball fits the picture', () => {
  const c = framed(cam, [0, 1, 0], 2)
  const { up, right } = axes(c.aim, c.roll)
  for (const d of [up, right]) {
    const e = project(c, [d[0] * 2, 1 + d[1] * 2, d[2] * 2])
    expect(e && e.x > 0 && e.x < 1 && e.y > 0 && e.y < 1).toBe(true)
  }
})

test('lens and angle are each the other way round; 50 mm is 27 degrees high', () => {
  expect(angle(50)).toBeCloseTo(26.99, 2)
  expect(lens(angle(85))).toBeCloseTo(85, 9)
})

test('lines and planes are met where they should be', () => {
  expect(nearestOnLine([0, 0, 0], [1, 0, 0], [3, 0, 5], [0, 0, -1])).toBeCloseTo(3, 9)
  near(onPlane([0, 1, 0], [0, 1, 0], [0, 3, 0], norm([1, -1, 0])) ?? [], [2, 1, 0])
  expect(onPlane([0, 1, 0], [0, 1, 0], [0, 3, 0], [0, 1, 0])).toBeNull()
  expect(dot(axes([0, 0, -1], 0).right, [1, 0, 0])).toBeCloseTo(1, 9)
})

test('directions as angles, and back', () => {
  expect(angles([0, 0, -2])).toEqual({ turn: 0, rise: 0 })
  expect(angles([3, 0, 0]).turn).toBeCloseTo(90)
  expect(angles([0, -1, 0])).toEqual({ turn: 0, rise: -90 })
  for (const [t, r] of [[0, 0], [135, 30], [-60, -80], [179, 5]] as const) {
    const a = angles(aimed(t, r))
    expect(a.turn).toBeCloseTo(t, 6)
    expect(a.rise).toBeCloseTo(r, 6)
  }
})

test('two fingers bring a place nearer by as much as they spread, and keep it under them', () => {
  const pivot: V3 = [0.4, 1, -2]
  const before = project(cam, pivot)
  const far = len(sub(pivot, cam.eye))
  const c = pinched(cam, pivot, 2, 0, 0)
  expect(len(sub(pivot, c.eye))).toBeCloseTo(far / 2, 9)
  near([project(c, pivot)?.x ?? 0, project(c, pivot)?.y ?? 0], [before?.x ?? 0, before?.y ?? 0])
  expect(len(sub(pivot, pinched(cam, pivot, 0.5, 0, 0).eye))).toBeCloseTo(2 * far, 9)
  // Moved by a tenth of the width, what is under them follows, to the picture's own depth.
  const moved = project(pinched(cam, pivot, 1, 0.1, 0), pivot)
  expect(moved?.x).toBeCloseTo((before?.x ?? 0) + 0.1, 1)
})
