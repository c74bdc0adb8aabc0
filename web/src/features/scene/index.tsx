import { Cube } from '@phosphor-icons/react/dist/csr/Cube'
import { lazy, Suspense } from 'react'
import type { Feature } from '../../kernel/feature'
import { useTargets } from '../../kernel/queries'
import { useSetup } from '../../kernel/store'

const ScenePanel = lazy(() => import('./ScenePanel').then((m) => ({ default: m.ScenePanel })))

/** scene is the first step: the place, its objects and materials, and the device to light for. */
export const scene: Feature = {
  id: 'scene',
  step: {
    id: 'scene',
    name: 'Scene',
    icon: Cube,
    useSays: () => {
      const target = useSetup((s) => s.doc?.target)
      const targets = useTargets()
      return `The place, its objects and materials; for ${targets.find((t) => t.id === target)?.name ?? 'a target'}`
    },
    side: () => (
      <Suspense fallback={<section className="scene" />}>
        <ScenePanel />
      </Suspense>
    ),
  },
}
