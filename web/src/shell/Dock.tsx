import { ArrowSquareOut } from '@phosphor-icons/react/dist/csr/ArrowSquareOut'
import { X } from '@phosphor-icons/react/dist/csr/X'
import { IconButton } from '@mui/material'
import { Suspense } from 'react'
import type { Warmth } from '../api.gen'
import { useSetup } from '../kernel/store'
import { panels } from '../kernel/feature'
import { ownWindow, usePanel } from '../kernel/panels'
import { Safe } from '../ui/Safe'
import { Tip } from '../ui/Tip'

/** Dock is the open panel, wherever it stands. alone says that it has a window of its own. */
export function Dock({ panel, warmth, alone = false }: { panel: string; warmth: Warmth | undefined; alone?: boolean }) {
  const id = useSetup((s) => s.id)
  const open = panels().find((p) => p.id === panel)
  if (!open) return null
  return (
    <section className={`panel ${panel}`} aria-label={open.name}>
      <header>
        <h2>{open.name}</h2>
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
      <Safe key={open.id} of={open.name}>
        <Suspense fallback={null}>
          <open.body warmth={warmth} />
        </Suspense>
      </Safe>
    </section>
  )
}
