import { Button, IconButton } from '@mui/material'
import { CaretDown } from '@phosphor-icons/react/dist/csr/CaretDown'
import { CaretUp } from '@phosphor-icons/react/dist/csr/CaretUp'
import { lazy, Suspense, useState } from 'react'
import type { FrameNews } from '../../api.gen'
import { evOf, exposureFactor, finest, mixed, settled } from '../../kernel/sums'
import { lampsNow, useSetup } from '../../kernel/store'
import { useLook } from '../../kernel/look'
import { toolLine } from '../../picture/tool'
import { waySpecs } from '../../picture/ways'
import { NumberField } from '../../ui/NumberField'
import { useThings } from '../../kernel/things'
import { openPanel } from '../../kernel/panels'
import { size, usePanes } from '../../kernel/panes'
import { lux, nits } from '../../kernel/units'
import { Tip } from '../../ui/Tip'

const WayMenu = lazy(() => import('./WayMenu'))

/** SeeTools say how the picture is seen and what hands are drawn: at the right of the line over it. */
export function SeeTools() {
  const way = useLook((s) => s.way)
  const handles = useLook((s) => s.handles)
  const axes = useLook((s) => s.axes)
  const [menu, setMenu] = useState<HTMLElement | null>(null)
  return (
    <>
      <Button variant="menu" aria-haspopup="menu" onClick={(e) => setMenu(e.currentTarget)} data-testid="way">
        <b>{waySpecs[way].name}</b> ▾
      </Button>
      <Tip title="Compare with a snapshot (Shift C)">
        <Button variant="menu" onClick={() => openPanel('snapshots')}>
          compare
        </Button>
      </Tip>
      <Tip title="Handles of the lights (H)">
        <Button variant="menu" className={handles ? '' : 'quiet'} aria-pressed={handles} onClick={() => useLook.setState({ handles: !handles })}>
          handles
        </Button>
      </Tip>
      {handles && (
        <Tip title="The axes that arms move along (Shift W)">
          <Button variant="menu" onClick={nextAxes}>
            {axes} axes
          </Button>
        </Tip>
      )}
      <Suspense fallback={null}>{menu && <WayMenu at={menu} close={() => setMenu(null)} />}</Suspense>
    </>
  )
}

/** nextAxes turns the arms of handles to the next axes. */
export const nextAxes = () => useLook.setState((s) => ({ axes: s.axes === 'world' ? 'light' : s.axes === 'light' ? 'view' : 'world' }))

const figure = (f: FrameNews) => `Error of the picture as it is shown: ${(100 * f.error).toFixed(2)} % of white (${(-20 * Math.log10(f.error)).toFixed(0)} dB)`

/** Settling says how far the picture is. */
function Settling() {
  const frames = useSetup((s) => s.frames[s.sight])
  const lamps = useSetup(lampsNow)
  const moving = useLook((s) => s.moving)
  const f = mixed(frames, lamps)
  const whole = finest(frames, lamps)
  const state = moving
    ? 'moving'
    : !whole
      ? 'first light is on its way'
      : f && whole.level < f.level
        ? 'a light is on its way'
        : whole.level < 2
          ? 'coarse, refining'
          : `${settled(whole)}${whole.samples} of ${whole.goal} samples`
  return (
    <Tip title={whole && whole.error > 0 ? figure(whole) : ''}>
      <span data-testid="refinement" data-level={whole?.level ?? -1} data-samples={whole?.samples ?? 0} data-moving={moving}>
        {state}
      </span>
    </Tip>
  )
}

/** SeeLine is the line under the picture: what lies under the pointer, what is cut away or alone, and how far the picture is. */
export function SeeLine() {
  const spot = useLook((s) => s.spot)
  const spotLux = useLook((s) => s.spotLux)
  const alone = useLook((s) => s.alone)
  const hidden = useLook((s) => s.hidden.length)
  const cut = useLook((s) => s.cut)
  const under = useLook((s) => s.under)
  const objects = useLook((s) => s.objects)
  const things = useThings((s) => s.things)
  const ev = useSetup((s) => s.doc?.views[s.view]?.ev ?? 0)
  const folded = usePanes((s) => s.folded)
  const named = useSetup((s) => [...alone].flatMap((i) => s.doc?.lights[i]?.name ?? []).join(', '))
  const display = spot !== null ? Math.min(spot * exposureFactor(ev), 32) : 0
  return (
    <>
      <span id={toolLine} className="tool-line" />
      <span className="reading" data-testid="spot">
        {under !== '' ? <b>{things[Number(under)]?.name ?? ''}</b> : objects.length === 1 ? `${things[objects[0] ?? 0]?.name ?? ''} chosen` : objects.length ? `${objects.length} objects chosen` : ''}
        {spot !== null && spot > 0 ? ` ${nits(spot)} · EV ${evOf(spot).toFixed(1)} · ${display >= 5.76 ? 'clipped' : `${(100 * display).toFixed(display < 0.1 ? 1 : 0)} %`}` : ''}
        {spotLux !== null && spotLux > 0 ? `${spot !== null ? ' ·' : ''} ${lux(spotLux)}` : ''}
      </span>
      {named && (
        <span className="alone-note">
          {alone.size > 3 ? `${alone.size} lights` : named} alone{' '}
          <Button className="word" onClick={() => useLook.setState({ alone: new Set() })}>
            all again (Esc)
          </Button>
        </span>
      )}
      <span className="grow" />
      {hidden > 0 && (
        <Tip title="Show every object (Shift J)">
          <Button className="word" onClick={() => useLook.setState({ hidden: [] })}>
            {hidden} hidden: show all
          </Button>
        </Tip>
      )}
      <Tip title="Objects nearer than this are not seen; the light stays as it is" placement="top">
        <span className="cutter">
          <span>cut</span>
          <NumberField label="Cut away what is nearer" value={cut} unit={cut > 0 ? 'm' : ''} min={0} max={500} step={0.25} show={(v) => (v === 0 ? 'none' : v.toFixed(2))} onDraft={(v) => useLook.setState({ cut: v })} onDone={(v) => useLook.setState({ cut: v })} onReset={() => useLook.setState({ cut: 0 })} />
        </span>
      </Tip>
      <Settling />
      <Tip title={folded ? 'Show what is weighed and pinned' : 'Fold away what is weighed and pinned'}>
        <IconButton aria-label="Weighed and pinned" aria-expanded={!folded} onClick={() => size({ folded: !folded })}>
          {folded ? <CaretUp size={13} /> : <CaretDown size={13} />}
        </IconButton>
      </Tip>
    </>
  )
}
