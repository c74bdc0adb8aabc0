import { Columns } from '@phosphor-icons/react/dist/csr/Columns'
import { lazy } from 'react'
import type { Feature } from '../../kernel/feature'
import { useComparison } from '../../kernel/comparison'
import { commands } from './commands'

const Splits = lazy(() => import('./Splits').then((m) => ({ default: m.Splits })))
const Body = lazy(() => import('./Snapshots').then((m) => ({ default: m.Snapshots })))

function Comparing() {
  return useComparison((c) => c.compared !== null) && <Splits />
}

/** snapshots keeps states of the setup, and compares them. */
export const snapshots: Feature = {
  id: 'snapshots',
  panels: [{ id: 'snapshots', name: 'Snapshots', command: 'Snapshots: keep, compare, bring back', keys: 'Shift C', icon: Columns, body: () => <Body /> }],
  slots: { below: Comparing },
  commands,
}
