import { Gauge } from '@phosphor-icons/react/dist/csr/Gauge'
import { lazy } from 'react'
import type { Feature } from '../../kernel/feature'
import { Budget } from './Budget'

const Sheet = lazy(() => import('./Sheet').then((m) => ({ default: m.Sheet })))

/** budget is the frame at the target: the bar along the lower edge, and the sheet that it opens into. */
export const budget: Feature = {
  id: 'budget',
  slots: { bottom: Budget },
  panels: [{ id: 'frame', name: 'Budget', command: 'Budget of the frame', keys: 'Ctrl E', icon: Gauge, body: () => <Sheet /> }],
}
