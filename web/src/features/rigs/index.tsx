import { Strategy } from '@phosphor-icons/react/dist/csr/Strategy'
import { lazy } from 'react'
import type { Feature } from '../../kernel/feature'

const Body = lazy(() => import('./RigPanel'))

/** rigs keeps sets of lights that are put on a figure, and moods. */
export const rigs: Feature = {
  id: 'rigs',
  panels: [{ id: 'rigs', name: 'Rigs', command: 'Rigs and moods', keys: 'Shift R', icon: Strategy, body: () => <Body /> }],
}
