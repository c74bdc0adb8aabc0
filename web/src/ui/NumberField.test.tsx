import { cleanup, render, screen } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { afterEach, expect, test, vi } from 'vitest'

vi.mock('../kernel/store', () => ({ draft: vi.fn(), eraNow: () => 0 }))

import { draft } from '../kernel/store'
import { NumberField } from './NumberField'

// jsdom has no pointer capture.
HTMLElement.prototype.setPointerCapture = () => undefined
afterEach(cleanup)

function field(over: Partial<React.ComponentProps<typeof NumberField>> = {}) {
  const done = vi.fn()
  render(<NumberField label="Output" value={640} unit="lm" min={0} max={1e6} step={1.08} geometric onDraft={vi.fn()} onDone={done} {...over} />)
  return { done, input: screen.getByRole('textbox', { name: 'Output in lm' }) }
}

test('arithmetic on the present value', async () => {
  const { done, input } = field()
  await userEvent.click(input)
  await userEvent.keyboard('v/2{Enter}')
  expect(done).toHaveBeenCalledWith(320, expect.any(Function))
})

test('stops go to the stops', async () => {
  const stops = vi.fn()
  const { done, input } = field({ onStops: stops })
  await userEvent.click(input)
  await userEvent.keyboard('v+1 st{Enter}')
  expect(stops).toHaveBeenCalledWith(1)
  expect(done).not.toHaveBeenCalled()
})

test('what is no number is marked and changes nothing', async () => {
  const { done, input } = field()
  await userEvent.click(input)
  await userEvent.keyboard('bright{Enter}')
  expect(input.getAttribute('aria-invalid')).toBe('true')
  await userEvent.keyboard('{Escape}')
  expect((input as HTMLInputElement).value).toBe('640')
  expect(done).not.toHaveBeenCalled()
})

test('bounds hold', async () => {
  const { done, input } = field({ max: 1000 })
  await userEvent.click(input)
  await userEvent.keyboard('v*100{Enter}')
  expect(done).toHaveBeenCalledWith(1000, expect.any(Function))
})

test('arrows step', async () => {
  const { done, input } = field({ geometric: false, step: 10 })
  await userEvent.click(input)
  await userEvent.keyboard('{ArrowUp}')
  expect(done).toHaveBeenCalledWith(650, expect.any(Function))
})

test('a held arrow and a turn of the wheel are one gesture', async () => {
  const draftOf = vi.fn()
  const { done, input } = field({ geometric: false, step: 10, onDraft: draftOf })
  await userEvent.click(input)
  await userEvent.keyboard('{ArrowUp>4/}')
  expect(draftOf.mock.calls.map((c) => c[0])).toEqual([650, 660, 670, 680])
  expect(done).toHaveBeenCalledTimes(1)
  expect(done.mock.calls[0]?.[0]).toBe(680)
  // Others change by as much, from where each began.
  expect(done.mock.calls[0]?.[1](100)).toBe(140)
})

test('differences are kept where a value meets its limit on the way', async () => {
  const draftOf = vi.fn()
  const { done, input } = field({ geometric: false, step: 10, max: 660, onDraft: draftOf })
  await userEvent.click(input)
  await userEvent.keyboard('{ArrowUp>5}{ArrowDown>3}{/ArrowUp}{/ArrowDown}')
  const change = done.mock.calls.at(-1)?.[1]
  expect(done.mock.calls.at(-1)?.[0]).toBe(630)
  expect(change(100)).toBe(90)
})

test('what the text makes of the value stands beneath while it is typed, of all that are edited together', async () => {
  const { input } = field({ others: () => [100, 200] })
  await userEvent.click(input)
  await userEvent.keyboard('v*2')
  expect(screen.getByRole('status').textContent).toBe('3 lights: 200 to 1280')
  await userEvent.keyboard('*')
  expect(screen.getByRole('status').textContent).toBe('no number')
})

test('what was typed is kept when the field is left, and Enter gives the focus back to the row', async () => {
  const done = vi.fn()
  render(
    <div className="slot">
      <div data-row role="row" tabIndex={0} data-testid="row" />
      <NumberField label="Radius" value={5} min={0} max={99} step={1} onDraft={vi.fn()} onDone={done} />
    </div>,
  )
  const input = screen.getByRole('textbox', { name: 'Radius' })
  await userEvent.click(input)
  await userEvent.keyboard('7')
  await userEvent.tab()
  expect(done).toHaveBeenCalledWith(7, expect.any(Function))
  await userEvent.click(input)
  await userEvent.keyboard('8{Enter}')
  expect(done).toHaveBeenLastCalledWith(8, expect.any(Function))
  expect(document.activeElement).toBe(screen.getByTestId('row'))
})

test('a field that goes away in the middle of a drag drops it', () => {
  const { input } = field()
  input.dispatchEvent(new MouseEvent('pointerdown', { bubbles: true, clientX: 10 }))
  input.dispatchEvent(new MouseEvent('pointermove', { bubbles: true, clientX: 60 }))
  cleanup()
  expect(draft).toHaveBeenCalledWith([])
})
