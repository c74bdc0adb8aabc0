import { lazy } from 'react'
import type { Feature } from '../../kernel/feature'

const Body = lazy(() => import('./Setups'))

/** setups is all setups that there are. */
export const setups: Feature = {
  id: 'setups',
  panels: [{ id: 'setups', name: 'Setups', command: 'Setups: open, name, put away, remove', keys: 'Shift U', body: () => <Body /> }],
}
