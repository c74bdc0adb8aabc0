import { beforeEach, expect, test, vi } from 'vitest'
import type { StepAsk, Stepped } from '../api.gen'

const step = vi.fn<(id: number, q: StepAsk) => Promise<Stepped>>()
vi.mock('../kernel/client', () => ({ called: () => 'Heron', api: { step, edit: vi.fn(), next: vi.fn() }, windowName: 'here', Refused: class extends Error {}, Busy: class extends Error {} }))

const { travel, surfacesStop, forgetFree, settled } = await import('./solid')
const { useLook, cameraNow } = await import('../kernel/look')
const { useSetup } = await import('../kernel/store')

const view = { name: 'Hall', order: 0, eye: [0, 0, 0] as [number, number, number], aim: [0, 0, -1] as [number, number, number], roll: 0, fovY: 40, aspect: 1.5, ev: 4 }
const to = (x: number) => ({ ...view, eye: [x, 0, 0] as [number, number, number] })
const eye = () => cameraNow()?.eye[0]
const answered = () => new Promise((r) => setTimeout(r, 0))

beforeEach(() => {
  step.mockReset()
  forgetFree()
  useSetup.setState({ id: 1, view: 'hall', doc: { views: { hall: view }, lights: {} } as never })
  useLook.setState({ camera: null, cut: 0, hidden: [] })
  surfacesStop(true)
})

test('the eye goes as far as the server lets it, and at once where it is known to be free', async () => {
  step.mockResolvedValue({ at: [2, 0, 0], free: 1, by: 'wall' })
  travel(to(5))
  expect(eye()).toBe(0)
  await answered()
  expect(eye()).toBe(2)
  expect(step.mock.calls[0]?.[1]).toMatchObject({ from: [0, 0, 0], to: [5, 0, 0] })
  travel(to(1.8))
  expect(eye()).toBe(1.8)
  expect(step).toHaveBeenCalledTimes(1)
  travel(to(1.2)) // half of what is free: what lies ahead is asked for
  expect(eye()).toBe(1.2)
  expect(step).toHaveBeenCalledTimes(2)
})

test('only the last place that the hand wanted is asked for when an answer comes late', async () => {
  let say: (a: Stepped) => void = () => undefined
  step.mockImplementationOnce(() => new Promise((r) => (say = r))).mockResolvedValue({ at: [3, 0, 0], free: 0, by: '' })
  travel(to(1))
  travel(to(2))
  travel(to(3))
  say({ at: [1, 0, 0], free: 0, by: '' })
  await answered()
  await answered()
  expect(step.mock.calls.map((c) => c[1].to[0])).toEqual([1, 3])
  expect(eye()).toBe(3)
})

test('a saved view that is gone to meanwhile is not left again', async () => {
  useLook.setState({ camera: to(1) })
  let say: (a: Stepped) => void = () => undefined
  step.mockImplementationOnce(() => new Promise((r) => (say = r)))
  travel(to(9))
  useLook.setState({ camera: null })
  say({ at: [4, 0, 0], free: 0, by: '' })
  await answered()
  expect(eye()).toBe(0)
})

test('walls may let the eye through; those between it and what it looks at are then cut away', async () => {
  surfacesStop(false)
  travel(to(9))
  expect(eye()).toBe(9)
  expect(step).not.toHaveBeenCalled()
  step.mockResolvedValue({ at: [6, 0, 0], free: 0, by: 'wall' })
  await settled([0, 0, 0], [4, 0, 0])
  expect(step.mock.calls[0]?.[1].from).toEqual([0.3, 0, 0])
  expect(useLook.getState().cut).toBe(3.25)
  step.mockResolvedValue({ at: [9, 0, 0], free: 0, by: '' })
  await settled([0, 0, 0], [4, 0, 0])
  expect(useLook.getState().cut).toBe(0)
})
