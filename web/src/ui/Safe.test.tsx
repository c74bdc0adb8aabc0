import { cleanup, fireEvent, render, screen } from '@testing-library/react'
import { afterEach, expect, test, vi } from 'vitest'
import { Safe } from './Safe'

afterEach(cleanup)

test('a fault stays in its part, is told, and is got over', () => {
  vi.spyOn(console, 'error').mockImplementation(() => undefined)
  let broken = true
  const Part = () => {
    if (broken) throw new Error('no such view')
    return <p>here</p>
  }
  render(
    <>
      <Safe of="Plot">
        <Part />
      </Safe>
      <p>the others</p>
    </>,
  )
  expect(screen.getByRole('alert').textContent).toContain('Plot has met a fault')
  expect(screen.getByText('no such view')).toBeTruthy()
  expect(screen.getByText('the others')).toBeTruthy()
  broken = false
  fireEvent.click(screen.getByText('Draw it again'))
  expect(screen.getByText('here')).toBeTruthy()
})
