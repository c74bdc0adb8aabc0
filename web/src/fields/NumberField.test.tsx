import { cleanup, render, screen } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { afterEach, expect, test, vi } from 'vitest'
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
  await userEvent.keyboard('/2{Enter}')
  expect(done).toHaveBeenCalledWith(320, expect.any(Function))
})

test('stops go to the stops', async () => {
  const stops = vi.fn()
  const { done, input } = field({ onStops: stops })
  await userEvent.click(input)
  await userEvent.keyboard('+1 st{Enter}')
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
  await userEvent.keyboard('*100{Enter}')
  expect(done).toHaveBeenCalledWith(1000, expect.any(Function))
})

test('arrows step', async () => {
  const { done, input } = field({ geometric: false, step: 10 })
  await userEvent.click(input)
  await userEvent.keyboard('{ArrowUp}')
  expect(done).toHaveBeenCalledWith(650, expect.any(Function))
})
