import { Path } from '@phosphor-icons/react/dist/csr/Path'
import { lazy, Suspense } from 'react'
import type { Feature } from '../../kernel/feature'
import { usePanes } from '../../kernel/panes'
import { commands } from './commands'
import { useWalk } from './queries'

const WalkSide = lazy(() => import('./WalkSide').then((m) => ({ default: m.WalkSide })))
const Along = lazy(() => import('./Along').then((m) => ({ default: m.Along })))

function BelowStep() {
  const on = usePanes((s) => s.step === 'walk')
  return on ? (
    <Suspense fallback={null}>
      <Along />
    </Suspense>
  ) : null
}

/** walk is the step of the playable route: what it costs, where it is too dark, where the figure is lost. */
export const walk: Feature = {
  id: 'walk',
  step: {
    id: 'walk',
    name: 'Walk',
    icon: Path,
    useSays: () => {
      const { data } = useWalk()
      const w = data?.walked
      if (data?.task.state === 'working') return `Walking: ${Math.round(100 * data.task.share)} %`
      if (!w) return 'The route is not walked yet'
      return w.found.length === 0 ? 'Walked; no rule is broken' : `Walked; ${w.found.length} ${w.found.length === 1 ? 'part breaks' : 'parts break'} a rule`
    },
    side: () => (
      <Suspense fallback={<section className="air" aria-label="Walk" />}>
        <WalkSide />
      </Suspense>
    ),
  },
  commands,
  slots: { below: BelowStep },
}
