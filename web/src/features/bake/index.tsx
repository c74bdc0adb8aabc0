import { GridFour } from '@phosphor-icons/react/dist/csr/GridFour'
import { lazy, Suspense } from 'react'
import type { Feature, OverlayProps } from '../../kernel/feature'
import { usePanes } from '../../kernel/panes'
import { commands } from './commands'
import { over, useBake } from './queries'

const BakeSide = lazy(() => import('./BakeSide').then((m) => ({ default: m.BakeSide })))
const BakeCards = lazy(() => import('./BakeCards').then((m) => ({ default: m.BakeCards })))
const BakeOver = lazy(() => import('./BakeOver').then((m) => ({ default: m.BakeOver })))


/** OverStep and CardsStep are there while the step is taken. */
function OverStep(props: OverlayProps) {
  const on = usePanes((s) => s.step === 'bake')
  return on ? (
    <Suspense fallback={null}>
      <BakeOver {...props} />
    </Suspense>
  ) : null
}

function CardsStep() {
  const on = usePanes((s) => s.step === 'bake')
  return on ? (
    <Suspense fallback={null}>
      <BakeCards />
    </Suspense>
  ) : null
}

/** bake is the step of what is worked out beforehand: the lightmap, the probes, and what the target shows with them. */
export const bake: Feature = {
  id: 'bake',
  step: {
    id: 'bake',
    name: 'Bake',
    icon: GridFour,
    useSays: () => {
      const { data } = useBake()
      if (!data) return 'Lightmap and probes'
      if (data.bake && !over(data.bake)) return `Baking: ${Math.round(100 * data.bake.share)} %`
      const due = data.changes.filter((c) => !c.live).length
      return !data.last ? 'Nothing is baked yet' : due ? `Baked; ${due} ${due === 1 ? 'change' : 'changes'} since` : 'Baked, as the setup is'
    },
    side: () => (
      <Suspense fallback={<section className="air" aria-label="Bake" />}>
        <BakeSide />
      </Suspense>
    ),
  },
  commands,
  overlay: OverStep,
  slots: { below: CardsStep },
}
