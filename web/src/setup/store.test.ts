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
const { draft, edit, gazes, hear, lampsNow, useSetup } = await import('./store')

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

const frame = (sight: string, level: number, view?: string) => hear({ type: 'frame', sight, view, frame: `${sight}-${level}`, width: 4, height: 2, level, samples: 1, goal: 4, noise: 0, layers: {} })

test('pictures belong to sights; thumbnails to views', () => {
  frame('one', 0)
  frame('one', 2)
  frame('x', 3, 'a')
  expect(Object.keys(useSetup.getState().frames.one ?? {})).toEqual(['0', '2'])
  expect(useSetup.getState().thumbs.a?.sight).toBe('x')
  for (let i = 0; i < 9; i++) frame(`s${i}`, 0)
  expect(Object.keys(useSetup.getState().frames).length).toBeLessThanOrEqual(6)
})

test('an answer to an old gaze is not followed', () => {
  gazes.sent = 5
  hear({ type: 'sighted', n: 4, sight: 'old' })
  expect(useSetup.getState().sight).not.toBe('old')
  hear({ type: 'sighted', n: 5, sight: 'new' })
  expect(useSetup.getState()).toMatchObject({ sight: 'new', astray: false })
})

test('lamps of a drag count until it is confirmed', () => {
  draft([stops(1)])
  hear({ type: 'drafted', lamps: { lamp: { key: 'k2', perOutput: 1, shines: false, perUnit: {}, colour: [1, 1, 1] } } })
  expect(lampsNow(useSetup.getState()).lamp?.key).toBe('k2')
  draft([])
  expect(lampsNow(useSetup.getState()).lamp).toBeUndefined()
})

test('both sides are told when one sets what the other has just set', () => {
  hear({ type: 'present', people: { p: 'Bea' }, windows: 2 })
  hear({ type: 'edited', revision: 1, ops: [stops(1)] as never, label: 'Lamp +1.0 st', deed: 'edit', person: 'p', window: 'there', seq: 1, lamps: {}, over: [{ path: '/lights/lamp/stops', person: 'me', window: 'here', label: 'Lamp +2.0 st' }] })
  expect(useSetup.getState().said).toContain('Bea has replaced your “Lamp +2.0 st”')
})

test('an edit that is on its way is kept in the browser until it is acknowledged', async () => {
  let answer: (a: Answer) => void = () => undefined
  vi.mocked(api.edit).mockReturnValue(new Promise((r) => (answer = r)))
  edit('Lamp', [stops(3)])
  expect(localStorage.getItem('willowherb.waiting.1.here')).toContain('/lights/lamp/stops')
  answer({ revision: 1, label: '', kept: [], undo: 'Lamp', redo: '' })
  await vi.waitFor(() => expect(localStorage.getItem('willowherb.waiting.1.here')).toBeNull())
})
