import { useQuery } from '@tanstack/react-query'
import type { LevelState, SavingsState, WalkState } from '../../api.gen'
import { asked, sent } from '../../kernel/client'
import { usePanes } from '../../kernel/panes'
import { queryClient } from '../../kernel/queryClient'
import { useSetup } from '../../kernel/store'

const of = (id: number | null) => `/api/setups/${id ?? 0}`

/** useWalk is how the walk of the route stands; asked again and again while it goes on. */
export function useWalk() {
  const id = useSetup((s) => s.id)
  const here = usePanes((s) => s.step === 'walk')
  return useQuery({
    queryKey: ['walk', id],
    queryFn: () => asked<WalkState>(`${of(id)}/route`),
    enabled: id !== null && here,
    refetchInterval: (q) => (q.state.data?.task.state === 'working' ? 500 : false),
  })
}

/** startWalk walks a route of the setup as it is now. */
export async function startWalk(route: string) {
  const id = useSetup.getState().id
  await sent(`${of(id)}/route/${encodeURIComponent(route)}`, 'POST')
  await queryClient.invalidateQueries({ queryKey: ['walk', id] })
}

/** useSurvey is how the survey of the level stands. */
export function useSurvey() {
  const id = useSetup((s) => s.id)
  const here = usePanes((s) => s.step === 'walk')
  return useQuery({
    queryKey: ['survey', id],
    queryFn: () => asked<LevelState>(`${of(id)}/survey`),
    enabled: id !== null && here,
    refetchInterval: (q) => (q.state.data?.task.state === 'working' ? 500 : false),
  })
}

/** startSurvey looks at all of the level that can be walked to from a route's stops. */
export async function startSurvey(route: string) {
  const id = useSetup.getState().id
  await sent(`${of(id)}/survey?route=${encodeURIComponent(route)}`, 'POST')
  await queryClient.invalidateQueries({ queryKey: ['survey', id] })
}

/** useSavings is how the search for savings stands. */
export function useSavings() {
  const id = useSetup((s) => s.id)
  const here = usePanes((s) => s.step === 'walk')
  return useQuery({
    queryKey: ['savings', id],
    queryFn: () => asked<SavingsState>(`${of(id)}/savings`),
    enabled: id !== null && here,
    refetchInterval: (q) => (q.state.data?.task.state === 'working' ? 700 : false),
  })
}

/** startSavings looks for savings in some views, under a limit; 0 is the target's. */
export async function startSavings(views: string[], limit: number) {
  const id = useSetup.getState().id
  await sent(`${of(id)}/savings`, 'POST', { views, limit })
  await queryClient.invalidateQueries({ queryKey: ['savings', id] })
}
