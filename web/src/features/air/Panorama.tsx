import { MenuItem, Select } from '@mui/material'
import { useState } from 'react'
import type { Environment, Light, Seen } from '../../api.gen'
import { api, Refused } from '../../kernel/client'
import { lightEdits, replace } from '../../kernel/lightEdits'
import { useLook } from '../../kernel/look'
import { complain, edit, useSetup, type Op } from '../../kernel/store'
import { OnOff } from '../../ui/Choice'
import { NumberField } from '../../ui/NumberField'

interface Props {
  l: Light
  e: Environment
}

/** Panorama is the picture all round; a press on a spot of it gives the chosen light that spot's colour. */
export function Panorama({ l, e }: Props) {
  const taker = useSetup((s) => s.doc?.lights)
  const chosen = useLook((s) => s.chosen)
  const to = chosen && taker?.[chosen]?.environment === undefined ? taker?.[chosen] : undefined
  const src = `/api/environments/${e.blob}/picture${e.layer ? `?layer=${encodeURIComponent(e.layer)}` : ''}`
  const picture = <img src={src} alt={`${l.name}, all round; the north in the middle`} width={330} height={90} />
  const [spot, setSpot] = useState({ azimuth: 0, height: 10 })
  const [focused, setFocused] = useState(false)
  if (!to || !chosen) return picture
  const take = (azimuth: number, height: number) => {
    api.spot(e.blob, e.layer ?? '', height, azimuth).then(
      (s) => lightEdits.rgb(chosen, to, s.colour.map((v) => Math.round(v * 1e4) / 1e4) as [number, number, number]),
      (err: unknown) => complain(err instanceof Refused ? err.fault : { what: 'The spot could not be asked.', remedy: 'Try again.' }),
    )
  }
  const press = (m: React.MouseEvent) => {
    // Keys press no place of it: they take the spot that they went to.
    if (m.detail === 0) return take(spot.azimuth, spot.height)
    const r = m.currentTarget.getBoundingClientRect()
    // The picture is cut above and below: it is as wide as it is shown, and half as high.
    take(((m.clientX - r.left) / r.width - 0.5) * 360, ((r.height / 2 - (m.clientY - r.top)) / r.width) * 360)
  }
  const keys = (k: React.KeyboardEvent) => {
    const by = { ArrowRight: [1, 0], ArrowLeft: [-1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] }[k.key]
    if (!by) return
    k.preventDefault()
    k.stopPropagation()
    const far = k.shiftKey ? 1 : 5
    setSpot({ azimuth: Math.min(Math.max(spot.azimuth + far * (by[0] ?? 0), -179), 179), height: Math.min(Math.max(spot.height + far * (by[1] ?? 0), -48), 48) })
  }
  return (
    <button type="button" className="panorama" aria-label={`Take the colour of ${to.name} from a spot of ${l.name}: arrows go about, ${spot.azimuth}° round, ${spot.height}° high`} data-tip={`A press gives ${to.name} the colour of that spot`} onClick={press} onKeyDown={keys} onFocus={() => setFocused(true)} onBlur={() => setFocused(false)}>
      {picture}
      {focused && <span className="spot" style={{ left: `${50 + spot.azimuth / 3.6}%`, top: `calc(50% - ${spot.height / 360} * 330px)` }} />}
    </button>
  )
}

/** Layers picks a layer of an EXR file, where it has several. */
export function Layers({ id, l, layers, layer }: { id: string; l: Light; layers: string[]; layer: string }) {
  if (layers.length < 2) return null
  const pick = (v: string) => edit(`${l.name}: layer ${v || 'without a name'}`, [{ op: 'add', path: `/lights/${id}/environment/layer`, value: v }])
  return (
    <div className="air-row">
      <span className="label">Layer</span>
      <Select size="small" value={layer} displayEmpty inputProps={{ 'aria-label': `Layer of ${l.name}` }} onChange={(v) => pick(v.target.value)}>
        {layers.map((n) => (
          <MenuItem key={n} value={n}>
            {n || 'without a name'}
          </MenuItem>
        ))}
      </Select>
    </div>
  )
}

const asItIs: Seen = { saturation: 1, contrast: 1, blur: 0 }

/** SeenBehind is how a picture is seen behind everything, otherwise than it lights. */
export function SeenBehind({ id, l }: { id: string; l: Light }) {
  const now = l.environment?.seen ?? asItIs
  const set = (part: Partial<Seen>, label: string) => {
    const next = { ...now, ...part }
    const plain = next.saturation === 1 && next.contrast === 1 && next.blur === 0
    const path = `/lights/${id}/environment/seen`
    const ops: Op[] = plain ? (l.environment?.seen ? [{ op: 'remove', path }] : []) : [l.environment?.seen ? replace(path, next) : { op: 'add', path, value: next }]
    edit(`${l.name} seen behind: ${label}`, ops)
  }
  const field = (name: keyof Seen, unit: string, max: number, step: number, digits: number) => (
    <NumberField label={`${l.name} seen behind, ${name}`} value={now[name]} unit={unit} min={0} max={max} step={step} show={(v) => v.toFixed(digits)} onDraft={() => undefined} onDone={(v) => set({ [name]: v }, `${name} ${v.toFixed(digits)}`)} onReset={() => set({ [name]: asItIs[name] }, `${name} as it is`)} />
  )
  return (
    <div className="levels">
      <span className="label wide">Where it is seen behind everything</span>
      {field('saturation', 'saturation', 4, 0.05, 2)}
      {field('contrast', 'contrast', 4, 0.05, 2)}
      {field('blur', '° blurred', 60, 0.5, 1)}
    </div>
  )
}

/** OnlySeen lets a picture be a backdrop: it lights nothing, is seen behind everything and in mirrors as far as their levels say. */
export function OnlySeen({ id, l }: { id: string; l: Light }) {
  const only = Boolean(l.noDiffuse)
  return <OnOff label={`${l.name} lights the place`} on={!only} words={only ? 'only seen' : 'lights the place'} says="Whether it lights what is matt, or is a backdrop that is only seen, and shows in mirrors" change={() => edit(only ? `${l.name} lights the place` : `${l.name} is only seen`, [{ op: 'add', path: `/lights/${id}/noDiffuse`, value: only ? 0 : 1 }])} />
}
