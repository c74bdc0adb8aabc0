import { useQuery } from '@tanstack/react-query'
import type { Frame, FrameAsk, Sheet } from '../api.gen'
import { sent } from './client'
import { useLook } from './look'
import { useRested } from './rested'
import { useSetup } from './store'

/** useWhere names whose frame this window sees: the saved view's, or that of where its own eye stands, once that rests. */
export function useWhere(): { ask: FrameAsk; own: boolean } {
  const view = useSetup((s) => s.view)
  const camera = useRested(
    useLook((s) => s.camera),
    250,
  )
  const on = useRested(
    useLook((s) => s.onRoute),
    250,
  )
  return { own: camera !== null, ask: { view, ...(camera ? { camera } : {}), route: camera && on ? on.route : '', ground: camera && on ? on.ground : [0, 0, 0], beside: 0, brief: false } }
}

/** useFrame is the budget of what this window sees; of the view, where nothing better is known yet. */
export function useFrame(): { frame: Frame | undefined; own: boolean } {
  const id = useSetup((s) => s.id)
  const saved = useSetup((s) => s.figures[s.view]?.budget)
  const revision = useRested(
    useSetup((s) => s.revision),
    150,
  )
  const { ask, own } = useWhere()
  const { data } = useQuery({
    queryKey: ['frame', id, ask, revision],
    queryFn: () => sent<Sheet>(`/api/setups/${id}/budget`, 'POST', { ...ask, brief: true }),
    enabled: own && id !== null,
    placeholderData: (p) => p,
    gcTime: 60_000,
    retry: false,
  })
  return own && data ? { frame: data.frame, own: true } : { frame: saved ?? undefined, own: false }
}
