import { expect, test } from 'vitest'
import { keepPicture, lastPicture } from './lastPicture'

const canvas = (what: string) => ({ toDataURL: () => `data:${what}` }) as unknown as HTMLCanvasElement

test('the last picture of a few setups is kept, the newest of each', () => {
  expect(lastPicture(1)).toBeUndefined()
  keepPicture(1, canvas('a'), 1)
  keepPicture(1, canvas('b'), 2)
  expect(lastPicture(1)).toBe('data:b')
  for (let i = 2; i <= 7; i++) keepPicture(i, canvas(`p${i}`), 10 + i)
  expect(lastPicture(1)).toBeUndefined()
  expect(lastPicture(2)).toBe('data:p2')
  localStorage.setItem('willowherb.last', 'torn')
  expect(lastPicture(2)).toBeUndefined()
  keepPicture(9, canvas('z'))
  expect(lastPicture(9)).toBe('data:z')
})
