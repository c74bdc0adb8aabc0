import { ClockCounterClockwise } from '@phosphor-icons/react/dist/csr/ClockCounterClockwise'
import { lazy } from 'react'
import type { Feature } from '../../kernel/feature'

const Body = lazy(() => import('./History').then((m) => ({ default: m.History })))

/** history is every edit that was ever made. */
export const history: Feature = {
  id: 'history',
  panels: [{ id: 'history', name: 'History', command: 'History', keys: 'Y', icon: ClockCounterClockwise, body: () => <Body /> }],
}
