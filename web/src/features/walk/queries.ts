import { useQuery } from '@tanstack/react-query'
import type { LevelState, SavingsAsk, SavingsState, Task, WalkState } from '../../api.gen'
import { asked, sent } from '../../kernel/client'
import { usePanes } from '../../kernel/panes'
import { queryClient } from '../../kernel/queryClient'
import { useSetup } from '../../kernel/store'

const of = (id: number | null) => `/api/setups/${id ?? 0}`

/** What this window has asked for, by where its answer is: a server that was started again knows nothing of it. */
const wanted = new Map<string, () => Promise<unknown>>()

/** begin asks for long work. */
async function begin(at: string, ask: () => Promise<unknown>) {
  await ask()
  wanted.set(at, ask)
}

/** stateOf is how long work stands; what the server has forgotten is asked for again. */
async function stateOf<T extends { task: Task }>(at: string): Promise<T> {
  const s = await asked<T>(at)
  const again = wanted.get(at)
  if (s.task.state !== 'none' || !again) return s
  wanted.delete(at) // once: what fails to begin is told by its button
  await begin(at, again)
  return asked<T>(at)
}

/** stopWork ends what is at work on the route, the level and savings. */
export async function stopWork() {
  const id = useSetup.getState().id
  for (const k of ['route', 'survey', 'savings']) wanted.delete(`${of(id)}/${k}`)
  await sent(`${of(id)}/tasks`, 'DELETE')
  for (const k of ['walk', 'survey', 'savings']) await queryClient.invalidateQueries({ queryKey: [k, id] })
}

/** useWalk is how the walk of the route stands; asked again and again while it goes on. */
export function useWalk() {
  const id = useSetup((s) => s.id)
  const here = usePanes((s) => s.step === 'walk')
  return useQuery({
    queryKey: ['walk', id],
    queryFn: () => stateOf<WalkState>(`${of(id)}/route`),
    enabled: id !== null && here,
    refetchInterval: (q) => (q.state.data?.task.state === 'working' ? 500 : false),
  })
}

/** startWalk walks a route of the setup as it is now. */
export async function startWalk(route: string) {
  const id = useSetup.getState().id
  await begin(`${of(id)}/route`, () => sent(`${of(id)}/route/${encodeURIComponent(route)}`, 'POST'))
  await queryClient.invalidateQueries({ queryKey: ['walk', id] })
}

/** useSurvey is how the survey of the level stands. */
export function useSurvey() {
  const id = useSetup((s) => s.id)
  const here = usePanes((s) => s.step === 'walk')
  return useQuery({
    queryKey: ['survey', id],
    queryFn: () => stateOf<LevelState>(`${of(id)}/survey`),
    enabled: id !== null && here,
    refetchInterval: (q) => (q.state.data?.task.state === 'working' ? 500 : false),
  })
}

/** startSurvey looks at all of the level that can be walked to from a route's stops. */
export async function startSurvey(route: string) {
  const id = useSetup.getState().id
  await begin(`${of(id)}/survey`, () => sent(`${of(id)}/survey?route=${encodeURIComponent(route)}`, 'POST'))
  await queryClient.invalidateQueries({ queryKey: ['survey', id] })
}

/** useSavings is how the search for savings stands. */
export function useSavings() {
  const id = useSetup((s) => s.id)
  const here = usePanes((s) => s.step === 'walk')
  return useQuery({
    queryKey: ['savings', id],
    queryFn: () => stateOf<SavingsState>(`${of(id)}/savings`),
    enabled: id !== null && here,
    refetchInterval: (q) => (q.state.data?.task.state === 'working' ? 700 : false),
  })
}

/** startSavings looks for savings in some views, or along a route; 0 is the target's limit. */
export async function startSavings(q: Pick<SavingsAsk, 'views' | 'limit' | 'route'>) {
  const id = useSetup.getState().id
  await begin(`${of(id)}/savings`, () => sent(`${of(id)}/savings`, 'POST', { ...q, limitMB: 0 }))
  await queryClient.invalidateQueries({ queryKey: ['savings', id] })
}
