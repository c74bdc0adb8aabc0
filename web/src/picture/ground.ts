import { add, ray, times, type Camera, type V3 } from '../kernel/camera'

/** Ground is what lies under each pixel of the picture that is shown: objects and distances, fetched from the server's first hits. */
interface Ground {
  camera: Camera
  w: number
  h: number
  ids: Uint32Array
  distances: Float32Array
}

let ground: Ground | null = null
export const nothing = 0xffffffff

export function setGround(g: Ground | null) {
  ground = g
}

export interface Under {
  object: number
  distance: number
  position: V3
}

/** under is what lies at a picture position, seen from camera; null for the open sky, and while it is not known. */
export function under(camera: Camera, x: number, y: number): Under | null {
  if (!ground || !sameEye(ground.camera, camera)) return null
  const i = Math.min(Math.max(Math.floor(y * ground.h), 0), ground.h - 1) * ground.w + Math.min(Math.max(Math.floor(x * ground.w), 0), ground.w - 1)
  const object = ground.ids[i] ?? nothing
  if (object === nothing) return null
  const distance = ground.distances[i] ?? 0
  return { object, distance, position: add(camera.eye, times(ray(camera, x, y), distance)) }
}

/** isGround reports whether what is known lies under a camera's picture. */
export const isGround = (camera: Camera) => ground !== null && sameEye(ground.camera, camera)

/** covered reports whether something nearer hides a place at a distance from the eye. */
export function covered(camera: Camera, x: number, y: number, distance: number): boolean {
  if (x < 0 || y < 0 || x > 1 || y > 1) return false
  const u = under(camera, x, y)
  return u !== null && u.distance < distance * 0.985 - 0.02
}

/** middleDistance is a typical distance of what is seen, for movements over the open sky. */
export function middleDistance(camera: Camera): number {
  if (!ground || !sameEye(ground.camera, camera)) return 6
  const some: number[] = []
  for (let i = 0; i < ground.ids.length; i += 97) if (ground.ids[i] !== nothing) some.push(ground.distances[i] ?? 0)
  some.sort((a, b) => a - b)
  return some[Math.floor(some.length / 2)] ?? 6
}

export function sameEye(a: Camera, b: Camera): boolean {
  const flat = (c: Camera) => [...c.eye, ...c.aim, c.roll, c.fovY, c.aspect]
  const q = flat(b)
  return flat(a).every((v, i) => v === q[i])
}
