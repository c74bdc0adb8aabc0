import { Button, IconButton } from '@mui/material'
import { X } from '@phosphor-icons/react/dist/csr/X'
import { useState } from 'react'
import type { View, Zone } from '../../api.gen'
import { addZone, removeZone, setZone, takeZones } from '../../kernel/exposure'
import { useSetup } from '../../kernel/store'
import { NumberField } from '../../ui/NumberField'
import { Text } from '../../ui/Text'
import { Tip } from '../../ui/Tip'

/** Zones are exposures of parts of the level, those of highest precedence first. */
export function Zones({ view, v, here }: { view: string; v: View; here: string }) {
  const zones = useSetup((s) => s.doc?.zones)
  const list = Object.entries(zones ?? {}).sort((a, b) => b[1].precedence - a[1].precedence)
  return (
    <div role="group" aria-label="Zones">
      {list.map(([id, z]) => (
        <One key={id} id={id} z={z} here={id === here} />
      ))}
      <p className="made">
        <Button className="word" onClick={() => addZone(view, false)}>
          a zone here
        </Button>
        <Button className="word" onClick={() => addZone(view, true)}>
          one for everywhere
        </Button>
        {list.length > 0 && !v.zoned && (
          <Button className="word" onClick={() => takeZones(view, v, true)}>
            {v.name} by zones
          </Button>
        )}
      </p>
    </div>
  )
}

const axes = ['x', 'y', 'z']

/** One is a zone: its exposure, precedence and blend, where it lies and how large it is. */
function One({ id, z, here }: { id: string; z: Zone; here: boolean }) {
  const [name, setName] = useState<string | null>(null)
  const put = (what: 'position' | 'size', k: number, v: number, done: boolean) => setZone(id, { [what]: z[what].map((o, i) => (i === k ? v : o)) as [number, number, number] }, what === 'size' ? 'another size' : 'moved', done)
  const field = (what: 'ev' | 'precedence' | 'blend', label: string, unit: string, min: number, max: number, step: number) => <NumberField label={`${z.name}, ${label}`} value={z[what]} unit={unit} min={min} max={max} step={step} onDraft={(v) => setZone(id, { [what]: v }, '', false)} onDone={(v) => setZone(id, { [what]: v }, `${label} ${v}`)} />
  return (
    <div className="fog-box" role="group" aria-label={z.name}>
      <div className="air-row">
        <Text className="label" label={`Name of ${z.name}`} value={name ?? z.name} onChange={(e) => setName(e.target.value)} onBlur={() => {
          if (name?.trim()) setZone(id, { name: name.trim() }, `named “${name.trim()}”`)
          setName(null)
        }} />
        {here && <span className="quiet">the eye stands here</span>}
        <Tip title={`Remove ${z.name}`}>
          <IconButton size="small" aria-label={`Remove ${z.name}`} onClick={() => removeZone(id)}>
            <X size={12} />
          </IconButton>
        </Tip>
      </div>
      <div className="field-row">
        {field('ev', 'exposure', 'EV', -10, 20, 0.1)}
        {field('precedence', 'precedence', 'prec.', -1000, 1000, 1)}
        {field('blend', 'blend', 'm blend', 0, 1000, 0.5)}
      </div>
      <div className="field-row">
        {axes.map((a, k) => (
          <NumberField key={a} label={`${z.name}, middle ${a}`} value={z.position[k] ?? 0} unit={a} min={-10000} max={10000} step={0.1} onDraft={(v) => put('position', k, v, false)} onDone={(v) => put('position', k, v, true)} />
        ))}
      </div>
      <div className="field-row">
        {axes.map((a, k) => (
          <NumberField key={a} label={`${z.name}, size ${a}`} value={z.size[k] ?? 0} unit={`m ${a}`} min={0} max={10000} step={0.5} show={(v) => (v === 0 ? 'endless' : String(Math.round(v * 100) / 100))} onDraft={(v) => put('size', k, v, false)} onDone={(v) => put('size', k, v, true)} />
        ))}
      </div>
    </div>
  )
}
