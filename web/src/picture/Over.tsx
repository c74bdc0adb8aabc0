import { useEffect, useState } from 'react'
import type { Setup } from '../api.gen'
import { useLook } from '../kernel/look'
import { complain } from '../kernel/store'
import { capture, captured, useCrosshair } from './crosshair'
import { lastPicture } from './lastPicture'

/** Cross is the pointer of the arrow keys. */
export function Cross() {
  const at = useCrosshair((s) => s.at)
  const held = useCrosshair((s) => s.held !== null)
  return at && <span className={`crosshair${held ? ' held' : ''}`} style={{ left: `${at.x * 100}%`, top: `${at.y * 100}%` }} />
}

/** Waiting stands in for the picture until there is one: how the setup looked last, and what is being done. */
export function Waiting({ setup, ready }: { setup: number; ready: boolean }) {
  const [last] = useState(() => lastPicture(setup))
  const since = useSeconds()
  return (
    <div className="waiting" role="status">
      {last && <img alt="As it looked last" src={last} />}
      <ol>
        <li className={ready ? 'done' : ''}>
          The place is made ready: its file read, its surfaces sorted for rays {ready ? '' : `· ${since} s`}
        </li>
        <li>First light, coarse, then finer{ready ? ` · ${since} s` : ''}</li>
      </ol>
    </div>
  )
}

/** useSeconds counts whole seconds since it was first asked. */
function useSeconds() {
  const [n, setN] = useState(0)
  useEffect(() => {
    const t = setInterval(() => setN((v) => v + 1), 1000)
    return () => clearInterval(t)
  }, [])
  return n
}

/** Wipe is the line between two states, to drag. */
export function Wipe({ at }: { at: number }) {
  const move = (e: React.PointerEvent) => {
    if (!captured(e.currentTarget, e.pointerId)) return
    const r = (e.currentTarget.parentElement as HTMLElement).getBoundingClientRect()
    useLook.setState({ wipe: Math.min(Math.max((e.clientX - r.left) / r.width, 0), 1) })
  }
  return (
    <div
      className="wipe"
      role="slider"
      tabIndex={0}
      aria-label="Where one state ends and the other begins"
      aria-valuenow={Math.round(at * 100)}
      style={{ left: `${at * 100}%` }}
      onPointerDown={(e) => {
        e.stopPropagation()
        capture(e.currentTarget, e.pointerId)
      }}
      onPointerMove={move}
      onPointerUp={(e) => e.stopPropagation()}
      onKeyDown={(e) => {
        const by = { ArrowLeft: -0.02, ArrowRight: 0.02 }[e.key]
        if (by === undefined) return
        e.preventDefault()
        useLook.setState((s) => ({ wipe: Math.min(Math.max(s.wipe + by, 0), 1) }))
      }}
    />
  )
}

/** PlainPicture is the server's composite, for machines without WebGL2. */
export function PlainPicture({ id, view, stamp, doc, alone }: { id: number; view: string; stamp: string; doc: Setup | null; alone: ReadonlySet<string> }) {
  if (!doc) return null
  return (
    <img
      data-testid="plain-picture"
      alt={doc.views[view]?.name ?? ''}
      src={`/api/setups/${id}/picture?view=${view}&alone=${[...alone].join(',')}&at=${stamp}`}
      onError={() => complain({ what: 'The picture could not be fetched.', remedy: 'It comes back by itself when the server is there again.' })}
    />
  )
}
