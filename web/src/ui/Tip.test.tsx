import { act, cleanup, fireEvent, render, screen } from '@testing-library/react'
import { afterEach, beforeEach, expect, test, vi } from 'vitest'
import { Tip } from './Tip'
import Tips from './Tips'

beforeEach(() => {
  vi.useFakeTimers()
  render(
    <>
      <Tip title="Lock it (K)">
        <button type="button">lock</button>
      </Tip>
      <Tip title={undefined}>
        <button type="button">plain</button>
      </Tip>
      <Tips />
    </>,
  )
})
afterEach(() => {
  cleanup()
  vi.useRealTimers()
})

const rest = (ms: number) => act(() => void vi.advanceTimersByTime(ms))
const tip = () => screen.queryByRole('tooltip')?.textContent
const lock = () => screen.getByText('lock')

test('a tip is shown once the pointer rests, describes its element, and goes with it', () => {
  fireEvent.pointerOver(lock())
  rest(300)
  expect(tip()).toBeUndefined()
  rest(200)
  expect(tip()).toBe('Lock it (K)')
  expect(lock().getAttribute('aria-describedby')).toBe('tip')
  fireEvent.pointerOver(screen.getByText('plain'))
  rest(1000)
  expect(tip()).toBeUndefined()
  expect(lock().hasAttribute('aria-describedby')).toBe(false)
})

test('a press, a turn of the wheel and Escape put it away, and a press before it keeps it from coming', () => {
  for (const away of [() => fireEvent.pointerDown(lock()), () => fireEvent.wheel(lock()), () => fireEvent.keyDown(lock(), { key: 'Escape' })]) {
    fireEvent.pointerOver(lock())
    rest(500)
    expect(tip()).toBe('Lock it (K)')
    away()
    rest(500)
    expect(tip()).toBeUndefined()
    fireEvent.pointerOver(screen.getByText('plain'))
  }
  fireEvent.pointerOver(lock())
  rest(200)
  fireEvent.pointerDown(lock())
  rest(1000)
  expect(tip()).toBeUndefined()
})
