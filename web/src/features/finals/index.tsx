import { FilmStrip } from '@phosphor-icons/react/dist/csr/FilmStrip'
import { lazy } from 'react'
import type { Feature } from '../../kernel/feature'

const Body = lazy(() => import('./FinalsPanel').then((m) => ({ default: m.FinalsPanel })))

/** finals are final frames and sequences, and the queue that makes them and the bakes. */
export const finals: Feature = {
  id: 'finals',
  panels: [{ id: 'finals', name: 'Final frames and the queue', command: 'Final frames and the queue', keys: '', icon: FilmStrip, body: () => <Body /> }],
}
