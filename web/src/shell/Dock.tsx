import { ArrowSquareOut } from '@phosphor-icons/react/dist/csr/ArrowSquareOut'
import { X } from '@phosphor-icons/react/dist/csr/X'
import { IconButton } from '@mui/material'
import { Suspense, useEffect, useRef } from 'react'
import type { Warmth } from '../api.gen'
import { useSetup } from '../kernel/store'
import { panels } from '../kernel/feature'
import { byKeys } from '../kernel/byKeys'
import { ownWindow, usePanel } from '../kernel/panels'
import { Safe } from '../ui/Safe'
import { Tip } from '../ui/Tip'

/** Dock is the open panel, wherever it stands. alone says that it has a window of its own. */
export function Dock({ panel, warmth, alone = false }: { panel: string; warmth: Warmth | undefined; alone?: boolean }) {
  const id = useSetup((s) => s.id)
  const open = panels().find((p) => p.id === panel)
  const box = useRef<HTMLElement>(null)
  // Who has opened it by a key goes on in it, and comes back to where they were.
  useEffect(() => {
    const from = document.activeElement as HTMLElement | null
    const own = box.current
    if (byKeys.now && !alone) own?.focus()
    return () => {
      if (own?.contains(document.activeElement) || document.activeElement === document.body) from?.focus()
    }
  }, [panel, alone])
  if (!open) return null
  const leave = (e: React.KeyboardEvent) => {
    if (e.key !== 'Escape' || alone || e.defaultPrevented) return
    e.stopPropagation()
    usePanel.setState({ panel: null })
  }
  return (
    <section ref={box} tabIndex={-1} className={`panel ${panel}`} aria-label={open.name} onKeyDown={leave}>
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
