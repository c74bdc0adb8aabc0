import { ImagesSquare } from '@phosphor-icons/react/dist/csr/ImagesSquare'
import { lazy } from 'react'
import type { Feature } from '../../kernel/feature'
import { useSetup } from '../../kernel/store'
import { useBoard } from './board'
import { Over } from './Over'

const Body = lazy(() => import('./Board').then((m) => ({ default: m.Board })))

const useMany = () => useSetup((s) => Object.values(s.doc?.references ?? {}).filter((r) => r.view === s.view).length || '').toString()

/** references are pictures and notes on a board for each view: measured, laid over the picture, and moved towards. */
export const references: Feature = {
  id: 'references',
  panels: [{ id: 'references', name: 'References', command: 'References: pictures and notes of the view', keys: 'Shift I', icon: ImagesSquare, body: () => <Body />, useCount: useMany }],
  overlay: Over,
  commands: [{ name: 'Lay the chosen reference over the picture', keys: '', area: 'Picture', run: () => useBoard.setState((s) => ({ wipe: !s.wipe })), able: () => useBoard.getState().chosen !== '' }],
}
