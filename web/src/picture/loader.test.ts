import { afterEach, beforeEach, expect, test, vi } from 'vitest'
import { LayerLoader, type Wanted } from './loader'
import { partKey } from './parts'

interface Asked {
  url: string
  signal: AbortSignal
  come: (ok?: boolean) => void
}

let asked: Asked[] = []
const here = new Map<string, string>()
const sink = { stamp: (k: string) => here.get(k), put: (k: string, stamp: string) => void here.set(k, stamp) }
const settle = () => new Promise((r) => setTimeout(r, 0))

beforeEach(() => {
  asked = []
  here.clear()
  vi.stubGlobal('fetch', (url: string, { signal }: { signal: AbortSignal }) => new Promise((done, fail) => {
    signal.addEventListener('abort', () => fail(new Error('aborted')))
    asked.push({ url, signal, come: (ok = true) => done({ ok, arrayBuffer: () => Promise.resolve(new Uint32Array(4).buffer) }) })
  }))
})
afterEach(() => vi.unstubAllGlobals())

const layer = (lamp: string, version = 1, sight = 's'): Wanted => ({ sight, lamp, part: 0, frame: 'f', width: 2, height: 2, stamp: `2:${version}`, scale: 1, address: `${lamp}${version}` })
const stampOf = (lamp: string, sight = 's') => here.get(partKey(sight, lamp, 0))

test('each layer comes by itself, no more than six at once, and what is here is not asked again', async () => {
  const came: boolean[] = []
  const l = new LayerLoader(sink, 1, (got) => came.push(got))
  const all = 'abcdefgh'.split('').map((x) => layer(x))
  l.want(all)
  expect(asked.length).toBe(6)
  expect(l.missing()).toBe(8)
  asked[3]?.come()
  await settle()
  expect(stampOf('d')).toBe('2:1')
  expect(asked.length).toBe(7)
  l.want(all)
  expect(asked.filter((a) => a.url.endsWith('/d1')).length).toBe(1)
  expect(l.missing()).toBe(7)
  asked[0]?.come(false)
  await settle()
  expect(came).toEqual([true, false])
  expect(stampOf('a')).toBeUndefined()
})

test('what is on its way is not thrown away by a newer version, and does not come after it', async () => {
  const l = new LayerLoader(sink, 1, () => undefined)
  l.want([layer('a', 1)])
  l.want([layer('a', 2)])
  expect(asked.map((a) => a.signal.aborted)).toEqual([false, false])
  asked[1]?.come()
  await settle()
  expect(stampOf('a')).toBe('2:2')
  asked[0]?.come()
  await settle()
  expect(stampOf('a')).toBe('2:2')
  // The older one first is better than none.
  l.want([layer('b', 1)])
  l.want([layer('b', 2)])
  asked[2]?.come()
  await settle()
  expect(stampOf('b')).toBe('2:1')
  expect(l.missing()).toBe(1)
})

test('what nobody wants any more is given up, and all of it at the end', async () => {
  const l = new LayerLoader(sink, 1, () => undefined)
  l.want([layer('a', 1, 'here'), layer('b', 1, 'here')])
  l.want([layer('a', 1, 'there')])
  expect(asked.map((a) => a.signal.aborted)).toEqual([true, true, false])
  l.dispose()
  expect(asked[2]?.signal.aborted).toBe(true)
  l.want([layer('c')])
  await settle()
  expect(asked.length).toBe(3)
})
