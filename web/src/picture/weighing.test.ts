import { beforeEach, expect, test, vi } from 'vitest'
import type { Setup } from '../api.gen'

const weigh = vi.fn(() => Promise.resolve({ hit: true }))
vi.mock('../kernel/client', () => ({ api: { weigh, edit: vi.fn(() => new Promise(() => undefined)) }, called: () => 'Heron', windowName: 'here', Refused: class extends Error {}, Busy: class extends Error {} }))

const { pointer, weighHere } = await import('./weighing')
const { useSetup } = await import('../kernel/store')
const { useLook } = await import('../kernel/look')

beforeEach(() => {
  weigh.mockClear()
  const doc = { version: 1, name: 'n', views: { new: { name: 'New' } }, lights: {} } as unknown as Setup
  useSetup.setState({ id: 1, view: 'new', confirmed: doc, kept: doc, bare: doc, doc, pending: [] })
  pointer.at = { x: 0.5, y: 0.5 }
})

test('a place is weighed once the server knows of every edit: the view may have been saved just now', async () => {
  useSetup.setState({ pending: [{ seq: 1, base: 0, label: 'View saved', ops: [], tries: 0 } as never] })
  const asked = weighHere()
  await Promise.resolve()
  expect(weigh).not.toHaveBeenCalled()
  useSetup.setState({ pending: [] })
  await asked
  expect(weigh).toHaveBeenCalledOnce()
  expect(useLook.getState().weighing?.reading).toEqual({ hit: true })
})
