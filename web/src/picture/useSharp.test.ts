import { act, cleanup, renderHook } from '@testing-library/react'
import { afterEach, beforeEach, expect, test, vi } from 'vitest'
import type { Sharp } from '../api.gen'

vi.mock('../kernel/client', () => ({ called: () => 'Heron', api: {}, windowName: 'here', Refused: class extends Error {}, Busy: class extends Error {} }))

const { useSharp } = await import('./useSharp')
const { useLook } = await import('../kernel/look')
const { useSetup } = await import('../kernel/store')

const here = new Map<string, string>()
const composite = { stamp: (k: string) => here.get(k), put: (k: string, stamp: string) => void here.set(k, stamp) } as never
const news = (address: string, revision = 3): Sharp => ({ type: 'sharp', sight: 's', revision, level: 0, frame: 's-2', width: 2, height: 2, scale: 1, address })
let asked: string[] = []
let words = 4

beforeEach(() => {
  here.clear()
  asked = []
  words = 4
  vi.stubGlobal('fetch', (url: string) => {
    asked.push(url)
    return Promise.resolve({ status: 200, arrayBuffer: () => Promise.resolve(new Uint32Array(words).buffer) })
  })
  useSetup.setState({ id: 1, sight: 's', revision: 3, draft: [], pending: [], astray: false, sharp: null })
  useLook.setState({ way: 'picture', alone: new Set() })
})
afterEach(() => {
  cleanup()
  vi.unstubAllGlobals()
})

const hook = (whole = '', shown = 's') => renderHook((p: { shown: string; whole: string }) => useSharp(composite, p), { initialProps: { shown, whole } })
const tell = (m: Sharp) => act(async () => {
  useSetup.setState({ sharp: m })
  await new Promise((r) => setTimeout(r, 0))
})

test('it is fetched, and shown until the sight is whole', async () => {
  const { result, rerender } = hook()
  expect(result.current).toBeNull()
  await tell(news('a'))
  expect(asked).toEqual(['/api/setups/1/layers/s-2/sharp/a'])
  expect(result.current?.address).toBe('a')
  await tell(news('b'))
  expect(result.current?.address).toBe('b')
  rerender({ shown: 's', whole: 's' })
  expect(result.current).toBeNull()
})

test('nothing stands for the layers that is not of this moment', async () => {
  const { result } = hook()
  await tell(news('a'))
  expect(result.current).not.toBeNull()
  const op = { op: 'replace', path: '/lights/a/stops', value: 1 } as never
  for (const [stale, back] of [
    [() => useSetup.setState({ draft: [op] }), () => useSetup.setState({ draft: [] })],
    [() => useSetup.setState({ pending: [{}] as never }), () => useSetup.setState({ pending: [] })],
    [() => useSetup.setState({ revision: 4 }), () => useSetup.setState({ revision: 3 })],
    [() => useSetup.setState({ astray: true }), () => useSetup.setState({ astray: false })],
    [() => useSetup.setState({ sight: 'other' }), () => useSetup.setState({ sight: 's' })],
    [() => useLook.setState({ way: 'bounced' }), () => useLook.setState({ way: 'picture' })],
    [() => useLook.setState({ alone: new Set(['a']) }), () => useLook.setState({ alone: new Set() })],
  ] as const) {
    act(stale)
    expect(result.current, String(stale)).toBeNull()
    await act(async () => {
      back()
      await new Promise((r) => setTimeout(r, 0))
    })
    expect(result.current, String(back)).not.toBeNull()
  }
})

test('another size than told is not taken, and another sight is not asked for', async () => {
  words = 3
  const { result } = hook()
  await tell(news('a'))
  expect(result.current).toBeNull()
  await tell({ ...news('c'), sight: 'other' })
  expect(asked.length).toBe(1)
})

test('it waits for the sight to be shown', async () => {
  const { result, rerender } = hook('', '')
  await tell(news('a'))
  expect(result.current).toBeNull()
  rerender({ shown: 's', whole: '' })
  expect(result.current?.address).toBe('a')
})
