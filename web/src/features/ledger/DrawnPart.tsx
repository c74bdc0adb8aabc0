import { Button } from '@mui/material'
import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import type { Drawn, Light } from '../../api.gen'
import { NumberField } from '../../ui/NumberField'
import { tidy } from '../../kernel/number'
import { api } from '../../kernel/client'
import { useLook } from '../../kernel/look'
import { useSetup } from '../../kernel/store'
import { lightEdits } from '../../kernel/lightEdits'
import { Tip } from '../../ui/Tip'

const whole: (keyof Drawn)[] = ['cascades', 'traced', 'every']

/** DrawnPart is how the target draws a light's shadow, beside the way to see it. */
export function DrawnPart({ id, l }: { id: string; l: Light }) {
  const [open, setOpen] = useState(Boolean(l.drawn))
  const way = useLook((s) => s.way)
  const view = useSetup((s) => s.doc?.views[s.view]?.name)
  const standard = useQuery({ queryKey: ['palette'], queryFn: api.palette, staleTime: Infinity }).data?.drawn
  const d = l.drawn ?? standard
  if (!d || !standard) return null
  const set = (change: Partial<Drawn>, words: string, done = true) => lightEdits.drawn(id, l, { ...d, ...change }, words, done)
  const number = (label: string, field: keyof Drawn, unit: string, min: number, max: number, step: number, says: string, show: (v: number) => string = tidy, geometric = false) => (
    <div className="field">
      <Tip title={says}>
        <span className="label">
          {label}
        </span>
      </Tip>
      <NumberField label={`${l.name} ${label.toLowerCase()}`} value={d[field] ?? 0} unit={unit} min={min} max={max} step={step} geometric={geometric} show={show} onDraft={(v) => set({ [field]: whole.includes(field) ? Math.round(v) : v }, '', false)} onDone={(v) => set({ [field]: whole.includes(field) ? Math.round(v) : v }, `${label.toLowerCase()} ${tidy(v)} ${unit}`)} />
    </div>
  )
  if (!open)
    return (
      <div className="word-row">
        <Button className="word" onClick={() => setOpen(true)}>
          how the target draws its shadow
        </Button>
      </div>
    )
  return (
    <div className="shaper doors" role="group" aria-label={`${l.name} shadow as drawn`}>
      {d.traced === 0 && number('Bias', 'bias', 'm', 0, 2, 1.15, 'Along the ray: too little speckles, too much lets shadows float', (v) => (v === 0 ? '0' : v.toFixed(3)), true)}
      {d.traced === 0 && number('Normal', 'normal', 'tx', 0, 20, 0.25, 'Along the surface, in texels')}
      {d.traced === 0 && number('Filter', 'filter', 'tx', 0, 16, 0.5, 'Width of the soft edge, in texels')}
      {l.kind === 'sun' && number('Cascades', 'cascades', '', 0, 8, 1, 'Maps one behind another; 0: as many as the target has', (v) => (v === 0 ? 'target’s' : String(Math.round(v))))}
      {l.kind === 'sun' && number('Distance', 'distance', 'm', 1, 1000, 1.1, 'From the eye, where its shadows end', tidy, true)}
      {d.traced === 0 && number('Contact', 'contact', 'm', 0, 2, 0.02, 'Length of contact shadows, looked for in the picture’s depth', (v) => (v === 0 ? 'none' : tidy(v)))}
      {d.traced === 0 && d.contact > 0 && number('Thickness', 'thickness', 'm', 0.01, 3, 0.02, 'How thick contact shadows take things to be')}
      {d.traced === 0 && number('Drawn', 'every', '', 1, 8, 1, 'The maps are drawn once in so many frames', (v) => (v < 2 ? 'each frame' : `every ${Math.round(v)}`))}
      {number('Traced', 'traced', 'rays', 0, 16, 1, 'Rays to the light instead of a map', (v) => (v === 0 ? 'none' : String(Math.round(v))))}
      <span className="wide">
        {(['runtime', 'beside', 'gap'] as const).map((w) => (
          <Button key={w} className="word" aria-pressed={way === w} onClick={() => useLook.setState({ way: way === w ? 'picture' : w })}>
            {{ runtime: `see it in ${view}`, beside: 'beside reference', gap: 'difference' }[w]}
          </Button>
        ))}
        {l.drawn && (
          <Button className="word" onClick={() => set(standard, 'shadow drawn as usual')}>
            as usual
          </Button>
        )}
      </span>
    </div>
  )
}
