import { ArrowSquareOut } from '@phosphor-icons/react/dist/csr/ArrowSquareOut'
import { X } from '@phosphor-icons/react/dist/csr/X'
import { IconButton } from '@mui/material'
import { lazy, Suspense } from 'react'
import type { Warmth } from '../api.gen'
import { useSetup } from '../setup/store'
import { ownWindow, panelNames, usePanel, type PanelName } from './panels'
import { Tip } from '../ui/Tip'

const History = lazy(() => import('./History').then((m) => ({ default: m.History })))
const Snapshots = lazy(() => import('../snapshots/Snapshots').then((m) => ({ default: m.Snapshots })))
const ChannelPanel = lazy(() => import('../channels/ChannelPanel'))
const PlotPanel = lazy(() => import('../plot/PlotPanel'))
const Setups = lazy(() => import('../setups/Setups'))
const RigPanel = lazy(() => import('../rigs/RigPanel'))
const SnagPanel = lazy(() => import('../snags/SnagPanel'))

/** Panels that have rules of their own in app.css. */
const styled: Partial<Record<PanelName, string>> = { channels: 'channels', plot: 'plot', rigs: 'rigs', snags: 'snags' }

/** Dock is the open panel, wherever it stands. alone says that it has a window of its own. */
export function Dock({ panel, warmth, alone = false }: { panel: PanelName; warmth: Warmth | undefined; alone?: boolean }) {
  const id = useSetup((s) => s.id)
  return (
    <section className={`panel ${styled[panel] ?? ''}`} aria-label={panelNames[panel]}>
      <header>
        <h2>{panelNames[panel]}</h2>
        <span className="grow" />
        {!alone && (
          <>
            <Tip title="In a window of its own">
              <IconButton aria-label="In a window of its own" onClick={() => id !== null && ownWindow(panel, id)}>
                <ArrowSquareOut size={15} />
              </IconButton>
            </Tip>
            <Tip title="Close">
              <IconButton aria-label="Close" onClick={() => usePanel.setState({ panel: null })}>
                <X size={14} />
              </IconButton>
            </Tip>
          </>
        )}
      </header>
      <Suspense fallback={null}>
        {panel === 'history' && <History />}
        {panel === 'snapshots' && <Snapshots />}
        {panel === 'channels' && <ChannelPanel />}
        {panel === 'snags' && <SnagPanel />}
        {panel === 'rigs' && <RigPanel />}
        {panel === 'setups' && <Setups />}
        {panel === 'plot' && warmth && <PlotPanel warmth={warmth} />}
      </Suspense>
    </section>
  )
}
