import { Aperture } from '@phosphor-icons/react/dist/csr/Aperture'
import { lazy, Suspense } from 'react'
import type { Feature } from '../../kernel/feature'
import { useSetup } from '../../kernel/store'
import { commands } from './commands'

const PictureSide = lazy(() => import('./PictureSide').then((m) => ({ default: m.PictureSide })))

/** grade is the step of the picture: exposure, white balance, contrast and colours. */
export const grade: Feature = {
  id: 'grade',
  step: {
    id: 'picture',
    name: 'Picture',
    icon: Aperture,
    useSays: () => {
      const graded = useSetup((s) => Boolean(s.doc?.grade))
      return `Exposure, white balance, contrast and colours${graded ? '' : ': nothing is graded'}`
    },
    side: () => (
      <Suspense fallback={<section className="air" aria-label="Picture" />}>
        <PictureSide />
      </Suspense>
    ),
  },
  commands,
}
