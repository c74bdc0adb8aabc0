import { beforeEach, expect, test, vi } from 'vitest'
import type { Answer, Setup } from '../api.gen'

vi.mock('../net/client', async () => {
  class Refused extends Error {
    constructor(
      readonly fault: { what: string; remedy: string },
      readonly status: number,
    ) {
      super(fault.what)
    }
  }
  return { api: { edit: vi.fn(), undo: vi.fn(), next: vi.fn(async () => ({ undo: '', redo: '' })) }, person: 'me', called: () => 'Heron', windowName: 'here', Refused }
})

const { api, Refused } = await import('../net/client')
const { draft, edit, hear, useSetup } = await import('./store')

const doc = () => ({ version: 1, name: 'n', target: 't', curve: 'plain', groups: {}, lights: { lamp: { stops: 0, off: false }, rim: { stops: 0 } }, views: { a: { order: 0 } }, looks: {} }) as unknown as Setup
const stops = (v: number, id = 'lamp') => ({ op: 'replace' as const, path: `/lights/${id}/stops`, value: v })
const shown = (id = 'lamp') => useSetup.getState().doc?.lights[id]?.stops
const edited = (revision: number, ops: unknown, window = 'there', seq = 1) => hear({ type: 'edited', revision, ops: ops as never, label: '', deed: 'edit', person: 'p', window, seq, lamps: {} })

beforeEach(() => {
  vi.mocked(api.edit).mockReset()
  useSetup.setState({ pending: [], draft: [], trouble: null, revision: 0 })
  hear({ type: 'hello', setup: 1, project: 'p', file: 'f', notes: [], revision: 0, document: doc(), view: 'a', lamps: {} })
})

test('a draft is shown at once and kept nowhere', () => {
  draft([stops(2)])
  expect(shown()).toBe(2)
  draft([])
  expect(shown()).toBe(0)
  expect(api.edit).not.toHaveBeenCalled()
})

test('an edit is shown before it is acknowledged, and stays after', async () => {
  vi.mocked(api.edit).mockResolvedValue({ revision: 1, label: '', kept: [], undo: 'Lamp', redo: '' })
  edit('Lamp', [stops(1)])
  expect(shown()).toBe(1)
  await vi.waitFor(() => expect(useSetup.getState().pending).toHaveLength(0))
  expect(shown()).toBe(1)
  expect(useSetup.getState().undoLabel).toBe('Lamp')
})

test('edits of others come under what is on its way', async () => {
  let answer: (a: Answer) => void = () => undefined
  vi.mocked(api.edit).mockReturnValue(new Promise((r) => (answer = r)))
  edit('Lamp', [stops(1)])
  edited(1, [stops(-3)])
  edited(2, [stops(4, 'rim')])
  expect(shown()).toBe(1)
  expect(shown('rim')).toBe(4)
  answer({ revision: 3, label: '', kept: [], undo: 'Lamp', redo: '' })
  await vi.waitFor(() => expect(useSetup.getState().pending).toHaveLength(0))
  expect(shown()).toBe(1)
})

test('a refused edit is taken back and said', async () => {
  vi.mocked(api.edit).mockRejectedValue(new Refused({ what: 'No.', remedy: 'Choose another.' }, 422))
  edit('Lamp', [stops(99)])
  await vi.waitFor(() => expect(useSetup.getState().trouble?.what).toContain('was not kept'))
  expect(shown()).toBe(0)
})

test('an edit that does not get through is sent again with the same number', async () => {
  vi.mocked(api.edit).mockRejectedValueOnce(new TypeError('no network')).mockResolvedValue({ revision: 1, label: '', kept: [], undo: '', redo: '' })
  edit('Lamp', [stops(1)])
  await vi.waitFor(() => expect(useSetup.getState().pending).toHaveLength(0), 3000)
  const [first, second] = vi.mocked(api.edit).mock.calls
  expect(second?.[1].seq).toBe(first?.[1].seq)
  expect(shown()).toBe(1)
})

test('an old revision heard again changes nothing', () => {
  edited(1, [stops(1)])
  edited(1, [stops(5)])
  expect(shown()).toBe(1)
})
