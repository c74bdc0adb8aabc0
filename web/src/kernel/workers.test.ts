import { expect, test } from 'vitest'
import { workerName } from './workers'

const worker = { name: 'desk-12-1795884877910542498', kind: '', doing: '', rate: 0, here: false, lost: false }

test('a worker is called by its machine and process', () => {
  expect(workerName(worker)).toBe('desk-12')
  expect(workerName({ ...worker, here: true })).toBe('this server')
  expect(workerName({ ...worker, name: 'render-7' })).toBe('render-7')
})
