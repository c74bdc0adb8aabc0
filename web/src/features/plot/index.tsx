import { Crosshair } from '@phosphor-icons/react/dist/csr/Crosshair'
import { lazy } from 'react'
import type { Feature } from '../../kernel/feature'

const Body = lazy(() => import('./PlotPanel'))

/** plot is where lights stand about a figure, in plan and section. */
export const plot: Feature = {
  id: 'plot',
  panels: [{ id: 'plot', name: 'Plot', command: 'Plot: plan and section of a figure', keys: 'Shift L', icon: Crosshair, body: ({ warmth }) => warmth && <Body warmth={warmth} /> }],
}
