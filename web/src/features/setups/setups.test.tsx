import { QueryClient, QueryClientProvider } from '@tanstack/react-query'
import { cleanup, render, screen, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { afterEach, expect, test, vi } from 'vitest'
import type { Listed } from '../../api.gen'

const listed = (id: number, name: string, over: Partial<Listed> = {}): Listed => ({ id, project: 'Saltmarsh', name, file: 'hall.glb', demo: false, lights: id, archived: false, ...over })
let all: Listed[] = []
const api = {
  setups: vi.fn(async () => all),
  archive: vi.fn(async () => true),
  removeSetup: vi.fn(async () => true),
  restore: vi.fn(async () => true),
  rename: vi.fn(async () => ({})),
  edit: vi.fn(() => new Promise(() => undefined)),
}
vi.mock('../../kernel/client', () => ({ api, called: () => 'Heron', windowName: 'here', Refused: class extends Error {}, Busy: class extends Error {} }))
const { default: Setups } = await import('./Setups')
const { Ask } = await import('../../ui/Ask')
const { useSetup } = await import('../../kernel/store')

afterEach(cleanup)

async function show() {
  all = [listed(1, 'Evening'), listed(2, 'Storm'), listed(3, 'Old', { archived: true }), listed(4, 'Gone', { removed: '2026-11-01T00:00:00Z' })]
  useSetup.setState({ id: 1 })
  render(
    <QueryClientProvider client={new QueryClient()}>
      <Setups />
      <Ask />
    </QueryClientProvider>,
  )
  await screen.findByText('Evening')
}

const row = (name: string) => within(screen.getByText(name).closest('li') as HTMLElement)

test('setups are listed by whether they are in use, and the open one cannot be removed from under itself', async () => {
  await show()
  expect(screen.getAllByRole('heading').map((h) => h.textContent)).toEqual(['In use', 'Put away', 'Removed'])
  expect(row('Evening').queryByText('remove')).toBeNull()
  expect(row('Evening').queryByText('open')).toBeNull()
  expect(row('Storm').getByText('open')).toBeTruthy()
})

test('each is put away, taken back, removed, brought back', async () => {
  await show()
  await userEvent.click(row('Storm').getByText('put away'))
  expect(api.archive).toHaveBeenLastCalledWith(2, true)
  await userEvent.click(row('Old').getByText('take back into use'))
  expect(api.archive).toHaveBeenLastCalledWith(3, false)
  await userEvent.click(row('Storm').getByText('remove'))
  expect(api.removeSetup).toHaveBeenCalledWith(2)
  expect(useSetup.getState().said).toContain('Storm is removed')
  await userEvent.click(row('Gone').getByText(/bring back \(until/))
  expect(api.restore).toHaveBeenCalledWith(4)
})

test('another setup is named where it is', async () => {
  await show()
  await userEvent.click(row('Storm').getByText('rename'))
  const box = await screen.findByRole('textbox')
  await userEvent.clear(box)
  await userEvent.type(box, 'Gale{Enter}')
  expect(api.rename).toHaveBeenCalledWith(2, expect.any(Number), 'Gale')
})
