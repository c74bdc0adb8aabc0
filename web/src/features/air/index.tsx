import { CloudSun } from '@phosphor-icons/react/dist/csr/CloudSun'
import { lazy, Suspense } from 'react'
import type { Feature } from '../../kernel/feature'
import { clock } from '../../kernel/day'
import { useSetup } from '../../kernel/store'
import { Balls } from './Balls'
import { commands } from './commands'
import { InFog } from './InFog'

const AirSide = lazy(() => import('./AirSide').then((m) => ({ default: m.AirSide })))

/** air is the step of sun, sky and fog: the hour, haze and clouds, what hangs in the air, and pictures of what lies around. */
export const air: Feature = {
  id: 'air',
  step: {
    id: 'air',
    name: 'Air',
    icon: CloudSun,
    useSays: () => {
      const day = useSetup((s) => s.doc?.day)
      return day ? `Sun and sky; ${day.byClock ? clock(day.hour) : `the sun ${day.sky.sunHeight.toFixed(0)}° high`}` : 'Sun and sky'
    },
    side: () => (
      <Suspense fallback={<section className="air" aria-label="Air" />}>
        <AirSide />
      </Suspense>
    ),
  },
  commands,
  lightPart: InFog,
  slots: { below: Balls },
}
