import type { WalkState } from '../../api.gen'
import type { Command } from '../../kernel/feature'
import { queryClient } from '../../kernel/queryClient'
import { say, useSetup } from '../../kernel/store'
import { startWalk } from './queries'
import { play, routeNow, stand, useRoute } from './state'
import { told } from '../../kernel/told'

const walked = () => queryClient.getQueryData<WalkState>(['walk', useSetup.getState().id])?.walked

/** nextFound stands where the next part of the way breaks a rule. */
function nextFound(back: boolean) {
  const w = walked()
  if (!w || w.found.length === 0) {
    say(w ? 'No part of the way breaks a rule.' : 'Walk the route first, in the step Walk.')
    return
  }
  const now = useRoute.getState().step
  const at = [...new Set(w.found.map((f) => f.step))].sort((a, b) => a - b)
  const next = back ? [...at].reverse().find((k) => k < now) ?? at.at(-1) : (at.find((k) => k > now) ?? at[0])
  stand(w, next ?? 0)
}

/** commands of the route. */
export const commands: Command[] = [
  { name: 'Walk the route', keys: 'Ctrl M', area: 'Camera', run: () => told(startWalk(routeNow())), able: () => routeNow() !== '' },
  { name: 'To the next part that breaks a rule', keys: ',', area: 'Camera', run: () => nextFound(false), able: () => walked() !== undefined },
  { name: 'To the part before', keys: ';', area: 'Camera', run: () => nextFound(true), able: () => walked() !== undefined },
  {
    name: 'Walk in the picture, or stop',
    keys: 'Ctrl J',
    area: 'Camera',
    run: () => {
      const w = walked()
      if (w) play(w)
    },
    able: () => walked() !== undefined,
  },
]
