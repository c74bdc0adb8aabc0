import { expect, test } from 'vitest'
import type { Setup } from '../api.gen'
import { allowed } from './locks'
import type { Op } from './state'

const doc = {
  groups: { hall: { name: 'Hall', locked: true, order: 0 }, side: { name: 'Side', parent: 'hall', order: 1 }, free: { name: 'Free', order: 2 } },
  lights: {
    key: { name: 'Key', group: 'free' },
    rim: { name: 'Rim', group: 'free', locked: true },
    lamp: { name: 'Lamp', group: 'side' },
    left: { name: 'Left', group: 'free', link: 'pair' },
    right: { name: 'Right', group: 'free', link: 'pair', locked: true },
  },
} as unknown as Setup

const put = (path: string): Op => ({ op: 'replace', path, value: 1 })

test.each([
  ['/lights/key/stops', true],
  ['/lights/rim/stops', false],
  ['/lights/rim', false],
  ['/lights/rim/off', false],
  ['/lights/rim/position', false],
  ['/lights/rim/channels', false],
  ['/lights/rim/locked', true],
  ['/lights/lamp/stops', false],
  ['/lights/left/stops', false],
  ['/lights/left/position', true],
  ['/groups/hall/trim', false],
  ['/groups/side/off', false],
  ['/groups/hall/locked', true],
  ['/groups/free/trim', true],
  ['/views/a/ev', true],
  ['/lights/new', true],
])('%s may be changed: %s', (path, may) => {
  expect(allowed(doc, [put(path)]).ops.length === 1).toBe(may)
})

test('of many lights the locked ones are left alone, and named', () => {
  expect(allowed(doc, [put('/lights/key/stops'), put('/lights/rim/stops'), put('/lights/rim/aim')])).toEqual({ ops: [put('/lights/key/stops')], locked: ['Rim'] })
})

test('an edit of groups that a lock forbids in part is forbidden whole', () => {
  expect(allowed(doc, [{ op: 'remove', path: '/groups/free' }, put('/lights/key/group'), put('/lights/rim/group')]).ops).toEqual([])
  expect(allowed(doc, [{ op: 'add', path: '/groups/new', value: {} }, put('/lights/key/group')]).ops).toHaveLength(2)
})
