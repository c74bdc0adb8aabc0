import { Menu, MenuItem } from '@mui/material'
import { useState } from 'react'
import { evOf, exposureFactor } from '../setup/sums'
import { useSetup } from '../setup/store'
import { useLook } from '../picture/look'
import { wayOrder, waySpecs } from '../picture/ways'
import { NumberField } from '../fields/NumberField'
import { useThings } from '../scene/things'

export const nits = (v: number) => `${v >= 100 ? v.toFixed(0) : v.toPrecision(3)} cd/m²`
export const lux = (v: number) => `${v >= 100 ? v.toFixed(0) : v.toPrecision(3)} lx`

/** SeeLine is the line under the picture: how it is seen, what hands are drawn, and what lies under the pointer. */
export function SeeLine() {
  const way = useLook((s) => s.way)
  const spot = useLook((s) => s.spot)
  const spotLux = useLook((s) => s.spotLux)
  const alone = useLook((s) => s.alone)
  const handles = useLook((s) => s.handles)
  const axes = useLook((s) => s.axes)
  const hidden = useLook((s) => s.hidden.length)
  const cut = useLook((s) => s.cut)
  const under = useLook((s) => s.under)
  const objects = useLook((s) => s.objects)
  const things = useThings((s) => s.things)
  const doc = useSetup((s) => s.doc)
  const ev = useSetup((s) => s.doc?.views[s.view]?.ev ?? 0)
  const [menu, setMenu] = useState<HTMLElement | null>(null)
  const names = [...alone].map((i) => doc?.lights[i]?.name).filter(Boolean)
  const display = spot !== null ? Math.min(spot * exposureFactor(ev), 32) : 0
  return (
    <div className="view-line under">
      <button type="button" className="menu-word" aria-haspopup="menu" onClick={(e) => setMenu(e.currentTarget)} data-testid="way">
        <b>{waySpecs[way].name}</b> ▾
      </button>
      <button type="button" className={`menu-word${handles ? '' : ' quiet'}`} aria-pressed={handles} title="H" onClick={() => useLook.setState({ handles: !handles })}>
        Handles
      </button>
      {handles && (
        <button type="button" className="menu-word" title="X: the axes that arms move along" onClick={() => useLook.setState({ axes: axes === 'world' ? 'light' : axes === 'light' ? 'view' : 'world' })}>
          {axes} axes
        </button>
      )}
      <span className="cutter" title="Objects nearer than this are not seen; the light stays as it is">
        <span>cut</span>
        <NumberField label="Cut away what is nearer" value={cut} unit={cut > 0 ? 'm' : ''} min={0} max={500} step={0.25} show={(v) => (v === 0 ? 'none' : v.toFixed(2))} onDraft={(v) => useLook.setState({ cut: v })} onDone={(v) => useLook.setState({ cut: v })} onReset={() => useLook.setState({ cut: 0 })} />
      </span>
      {hidden > 0 && (
        <button type="button" className="word" title="Shift J" onClick={() => useLook.setState({ hidden: [] })}>
          {hidden} hidden: show all
        </button>
      )}
      {names.length > 0 && (
        <span className="alone-note">
          {names.length > 3 ? `${names.length} lights` : names.join(', ')} alone{' '}
          <button type="button" className="word" onClick={() => useLook.setState({ alone: new Set() })}>
            all again (Esc)
          </button>
        </span>
      )}
      <span className="grow" />
      <span className="reading" data-testid="spot">
        {under !== '' ? `${things[Number(under)]?.name ?? ''}${spot !== null || spotLux !== null ? ' · ' : ''}` : objects.length === 1 ? `${things[objects[0] ?? 0]?.name ?? ''} chosen` : objects.length ? `${objects.length} objects chosen` : ''}
        {spot !== null && spot > 0 ? `${nits(spot)} · EV ${evOf(spot).toFixed(1)} · ${display >= 5.76 ? 'clipped' : `${(100 * display).toFixed(display < 0.1 ? 1 : 0)} %`}` : ''}
        {spotLux !== null && spotLux > 0 ? `${spot !== null ? ' · ' : ''}${lux(spotLux)}` : ''}
      </span>
      <Menu open={menu !== null} anchorEl={menu} onClose={() => setMenu(null)} slotProps={{ list: { dense: true, className: 'ways' } }}>
        {wayOrder.map((w) => (
          <MenuItem
            key={w}
            selected={w === way}
            onClick={() => {
              setMenu(null)
              useLook.setState({ way: w })
            }}
          >
            <b>{waySpecs[w].name}</b>
            <span>{waySpecs[w].says}</span>
          </MenuItem>
        ))}
      </Menu>
    </div>
  )
}
