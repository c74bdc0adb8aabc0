import { afterEach, expect, test, vi } from 'vitest'

vi.mock('./client', () => ({ called: () => 'Heron', api: {}, windowName: 'here', Refused: class extends Error {}, Busy: class extends Error {} }))

const said: unknown[] = []
let channel: { onmessage: ((e: { data: unknown }) => void) | null } | null = null
const opened = (c: typeof channel) => {
  channel = c
}
vi.stubGlobal(
  'BroadcastChannel',
  class {
    onmessage: ((e: { data: unknown }) => void) | null = null
    constructor() {
      opened(this)
    }
    postMessage(m: unknown) {
      said.push(m)
    }
    close() {}
  },
)

const { shareLook } = await import('./siblings')
const { choose, useLook } = await import('./look')
const { useSetup } = await import('./store')

let end = () => {}
afterEach(() => {
  end()
  said.length = 0
})

const heard = (m: object) => channel?.onmessage?.({ data: { setup: 1, chosen: 'rim', picked: ['rim'], objects: [], alone: [], ...m } })

test('what is chosen in one window is told once, and what is heard is not said again', () => {
  end = shareLook(1, false)
  choose('lantern')
  expect(said).toHaveLength(1)
  expect(said[0]).toMatchObject({ setup: 1, picked: ['lantern'] })
  heard({})
  expect(useLook.getState().chosen).toBe('rim')
  expect(said).toHaveLength(1)
  heard({ setup: 2, picked: ['key'], chosen: 'key' })
  expect(useLook.getState().chosen).toBe('rim')
})

test('a panel\u2019s own window asks how things stand, and looks where the main one looks', () => {
  end = shareLook(1, true)
  expect(said).toEqual([{ asks: 1 }])
  heard({ view: 'keeper', sight: 's1' })
  expect(useSetup.getState()).toMatchObject({ view: 'keeper', sight: 's1' })
  end()
  end = shareLook(1, false)
  said.length = 0
  channel?.onmessage?.({ data: { asks: 1 } })
  expect(said).toHaveLength(1)
})
