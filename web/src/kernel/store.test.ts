import { beforeEach, expect, test, vi } from 'vitest'
import type { Answer, Setup } from '../api.gen'
import { patched } from './state'

vi.mock('./client', async () => {
  class Refused extends Error {
    constructor(
      readonly fault: { what: string; remedy: string },
      readonly status: number,
    ) {
      super(fault.what)
    }
  }
  class Busy extends Refused {
    constructor(
      fault: { what: string; remedy: string },
      status: number,
      readonly after: number,
    ) {
      super(fault, status)
    }
  }
  return { Busy, api: { edit: vi.fn(), undo: vi.fn(), next: vi.fn(async () => ({ undo: '', redo: '' })) }, called: () => 'Heron', windowName: 'here', Refused }
})

const { api, Busy, Refused } = await import('./client')
const { draft, edit, flush, gazes, hear, hold, lampsNow, release, undo, useSetup } = await import('./store')

const doc = () => ({ version: 1, name: 'n', target: 't', curve: 'plain', groups: {}, lights: { lamp: { stops: 0, off: false }, rim: { stops: 0 } }, views: { a: { order: 0 }, b: { order: 1 } }, looks: {}, objects: {}, materials: {}, backdrops: {}, channels: {} }) as unknown as Setup
const stops = (v: number, id = 'lamp') => ({ op: 'replace' as const, path: `/lights/${id}/stops`, value: v })
const shown = (id = 'lamp') => useSetup.getState().doc?.lights[id]?.stops
const edited = (revision: number, ops: unknown, window = 'there', seq = 1) => hear({ type: 'edited', revision, ops: ops as never, label: '', deed: 'edit', person: 'p', window, seq })

beforeEach(() => {
  vi.mocked(api.edit).mockReset()
  localStorage.clear()
  useSetup.setState({ id: null, pending: [], draft: [], trouble: null, revision: 0, view: '', said: '', away: false })
  hear({ type: 'hello', setup: 1, project: 'p', file: 'f', notes: [], revision: 0, document: doc(), view: 'a', you: 'me', mine: 'me.here' })
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

test('whom an edit ran over is said also where its answer comes before its news', async () => {
  vi.mocked(api.edit).mockResolvedValue({ revision: 2, label: '', kept: [], undo: 'Lamp', redo: '' })
  edited(1, [stops(2)])
  edit('Lamp +1.0 st', [stops(1)])
  await vi.waitFor(() => expect(useSetup.getState().revision).toBe(2))
  useSetup.setState({ people: { bea: 'Bea' } })
  hear({ type: 'edited', revision: 2, ops: [stops(1)] as never, label: 'Lamp +1.0 st', deed: 'edit', person: 'me', window: 'me.here', seq: 1, over: [{ path: '/lights/lamp/stops', person: 'bea', window: 'there', label: 'Lamp +2.0 st' }] })
  expect(useSetup.getState().said).toContain('You have replaced “Lamp +2.0 st”, set by Bea')
  expect(shown()).toBe(1)
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

const frame = (sight: string, level: number, view?: string) => hear({ type: 'frame', sight, view, frame: `${sight}-${level}`, width: 4, height: 2, level, samples: 1, goal: 4, error: 0, clean: 0.016, settles: 0, layers: {} })

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
  hear({ type: 'edited', revision: 1, ops: [stops(1)] as never, label: 'Lamp +1.0 st', deed: 'edit', person: 'p', window: 'there', seq: 1, over: [{ path: '/lights/lamp/stops', person: 'me', window: 'me.here', label: 'Lamp +2.0 st' }] })
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

test('a server that is busy is asked again with the same number; nothing is dropped', async () => {
  vi.mocked(api.edit)
    .mockRejectedValueOnce(new Busy({ what: 'The database does not answer.', remedy: '' }, 503, 0))
    .mockRejectedValueOnce(new Refused({ what: 'A fault.', remedy: '' }, 500))
    .mockResolvedValue({ revision: 1, label: '', kept: [], undo: '', redo: '' })
  edit('Lamp', [stops(1)])
  await vi.waitFor(() => expect(useSetup.getState().away).toBe(true))
  expect(shown()).toBe(1)
  await vi.waitFor(() => expect(useSetup.getState().pending).toHaveLength(0), 5000)
  expect(vi.mocked(api.edit).mock.calls.map((c) => c[1].seq)).toEqual([1, 1, 1].map(() => vi.mocked(api.edit).mock.calls[0]?.[1].seq))
  expect(useSetup.getState()).toMatchObject({ trouble: null, away: false })
  expect(shown()).toBe(1)
})

test('an edit that changes nothing is none', () => {
  edit('Lamp', [stops(0)])
  edit('Lamp', [stops(4, 'gone')])
  edit('Lamp', [])
  expect(api.edit).not.toHaveBeenCalled()
  expect(useSetup.getState().pending).toHaveLength(0)
})

test('what the server found to change nothing is taken from what waits', async () => {
  vi.mocked(api.edit).mockResolvedValue({ revision: 9, label: '', kept: [], undo: '', redo: '', nothing: true })
  edit('Lamp', [stops(1)])
  await flush()
  expect(useSetup.getState()).toMatchObject({ pending: [], revision: 0 })
})

const nothing: Answer = { revision: 0, label: '', kept: [], undo: '', redo: '', nothing: true }

test('acts begin from what is on its way, not from what is under the hand', async () => {
  let answer: (a: Answer) => void = () => undefined
  vi.mocked(api.edit).mockReturnValue(new Promise((r) => (answer = r)))
  edit('Lamp', [stops(1)])
  draft([stops(3)])
  expect(useSetup.getState().kept?.lights.lamp?.stops).toBe(1)
  expect(shown()).toBe(3)
  answer(nothing)
  await flush()
})

test('a held key is one edit, of where it ended', async () => {
  vi.mocked(api.edit).mockResolvedValue({ revision: 1, label: '', kept: [], undo: '', redo: '' })
  for (const v of [0.3, 0.6, 0.9]) hold(`Lamp ${v}`, [stops(v)])
  expect(shown()).toBe(0.9)
  expect(api.edit).not.toHaveBeenCalled()
  window.dispatchEvent(new KeyboardEvent('keyup', { key: 'ArrowRight' }))
  await flush()
  expect(vi.mocked(api.edit).mock.calls.map((c) => [c[1].label, c[1].ops[0]?.value])).toEqual([['Lamp 0.9', 0.9]])
  release()
  expect(api.edit).toHaveBeenCalledTimes(1)
})

test('leaving a view ends a drag as a cancel, and keeps what a key has done', async () => {
  vi.mocked(api.edit).mockResolvedValue({ revision: 1, label: '', kept: [], undo: '', redo: '' })
  draft([stops(2)])
  useSetup.setState({ view: 'b' })
  expect(shown()).toBe(0)
  expect(useSetup.getState().draft).toEqual([])
  expect(api.edit).not.toHaveBeenCalled()
  hold('Lamp', [stops(2)])
  useSetup.setState({ view: 'a' })
  await flush()
  expect(api.edit).toHaveBeenCalledTimes(1)
  expect(shown()).toBe(2)
})

test('undo waits for the edits on their way', async () => {
  const order: string[] = []
  let answer: (a: Answer) => void = () => undefined
  vi.mocked(api.edit).mockImplementation(() => new Promise((r) => (answer = (a) => (order.push('edit'), r(a)))))
  vi.mocked(api.undo).mockImplementation(async () => (order.push('undo'), { revision: 2, label: 'Lamp', kept: [], undo: '', redo: 'Lamp' }))
  edit('Lamp', [stops(1)])
  undo()
  await new Promise((r) => setTimeout(r, 30))
  expect(order).toEqual([])
  answer({ revision: 1, label: '', kept: [], undo: 'Lamp', redo: '' })
  await vi.waitFor(() => expect(order).toEqual(['edit', 'undo']))
})

test('an edit whose news has come before its answer can be undone', async () => {
  vi.mocked(api.undo).mockReset()
  vi.mocked(api.undo).mockResolvedValue({ revision: 2, label: 'Lamp', kept: [], undo: '', redo: 'Lamp' })
  let answer: (a: Answer) => void = () => undefined
  vi.mocked(api.edit).mockReturnValue(new Promise((r) => (answer = r)))
  useSetup.setState({ undoLabel: '' })
  edit('Lamp', [stops(1)])
  hear({ type: 'edited', revision: 1, ops: [stops(1)] as never, label: 'Lamp', deed: 'edit', person: 'me', window: 'me.here', seq: vi.mocked(api.edit).mock.calls[0]?.[1].seq ?? 0 })
  expect(useSetup.getState().pending).toEqual([])
  undo()
  answer({ revision: 1, label: '', kept: [], undo: 'Lamp', redo: '' })
  await vi.waitFor(() => expect(useSetup.getState().said).toContain('Undid “Lamp”'))
})

test('an undo that does not get through is asked again under its number', async () => {
  vi.mocked(api.undo).mockReset()
  vi.mocked(api.undo).mockRejectedValueOnce(new TypeError('no network')).mockResolvedValue({ revision: 1, label: 'Lamp', kept: ['/lights/rim'], undo: '', redo: '' })
  useSetup.setState({ undoLabel: 'Lamp' })
  undo()
  await vi.waitFor(() => expect(useSetup.getState().said).toContain('1 value was left alone'), 3000)
  const [a, b] = vi.mocked(api.undo).mock.calls
  expect(a?.[1].seq).toBe(b?.[1].seq)
})

test('what was still to be sent to a setup is sent when it is open again', async () => {
  vi.mocked(api.edit).mockResolvedValue({ revision: 1, label: '', kept: [], undo: '', redo: '' })
  localStorage.setItem('willowherb.waiting.1.here', JSON.stringify([{ seq: 77, ops: [stops(2)], label: 'Lamp', base: 0 }]))
  localStorage.setItem('willowherb.waiting.1.gone', JSON.stringify([{ seq: 5, ops: [stops(3)], label: 'Rim', base: 0 }]))
  localStorage.setItem('willowherb.waiting.2.gone', JSON.stringify([{ seq: 6, ops: [stops(3)], label: 'Other', base: 0 }]))
  useSetup.setState({ id: null })
  hear({ type: 'hello', setup: 1, project: 'p', file: 'f', notes: [], revision: 0, document: doc(), view: 'a', you: 'me', mine: 'me.here' })
  expect(shown()).toBe(2)
  await vi.waitFor(() => expect(vi.mocked(api.edit).mock.calls.map((c) => [c[1].window, c[1].seq]).sort()).toEqual([['gone', 5], ['here', 77]]))
  await vi.waitFor(() => expect(localStorage.getItem('willowherb.waiting.1.gone')).toBeNull())
  expect(localStorage.getItem('willowherb.waiting.2.gone')).not.toBeNull()
})

test('lamps of a drag stay until those of its edit have come', () => {
  vi.mocked(api.edit).mockReturnValue(new Promise(() => undefined))
  const fact = (key: string) => ({ lamp: { key, perOutput: 1, shines: false, perUnit: {}, colour: [1, 1, 1] as [number, number, number] } })
  draft([stops(1)])
  hear({ type: 'drafted', lamps: fact('dragged') })
  edit('Lamp', [stops(1)])
  hear({ type: 'lamps', revision: 0, lamps: fact('before') })
  expect(lampsNow(useSetup.getState()).lamp?.key).toBe('dragged')
  edited(1, [stops(1)], 'me.here', useSetup.getState().pending[0]?.seq)
  expect(lampsNow(useSetup.getState()).lamp?.key).toBe('dragged')
  hear({ type: 'lamps', revision: 1, lamps: fact('after') })
  expect(lampsNow(useSetup.getState()).lamp?.key).toBe('after')
})

test('an edit shares what it leaves alone', () => {
  const doc = { lights: { a: { stops: 0 }, b: { stops: 1 } }, views: {} } as unknown as Setup
  const next = patched(doc, [{ op: 'replace', path: '/lights/a/stops', value: 2 }, { op: 'replace', path: '/lights/gone/stops', value: 2 }])
  expect(next.lights.a).toEqual({ stops: 2 })
  expect(doc.lights.a).toEqual({ stops: 0 })
  expect(next.lights.b).toBe(doc.lights.b)
  expect(next.views).toBe(doc.views)
})
