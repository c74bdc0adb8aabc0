import { Slider } from '@mui/material'
import { NumberField } from './NumberField'
import { Tip } from './Tip'

interface Props {
  name: string
  /** Whose it is, where the name alone does not tell. */
  of?: string
  says: string
  unit?: string
  value: number
  min: number
  max: number
  step: number
  show?: (v: number) => string
  /** What a double click on the number gives it. */
  reset?: number
  set: (v: number, done: boolean | 'held') => void
}

/** SliderField is a number by a slider and by a field: a name, a knob, a number. */
export function SliderField({ name, of, says, unit, value, min, max, step, show, reset, set }: Props) {
  const label = of ? `${of} ${name.toLowerCase()}` : name
  return (
    <div className="slider-field">
      <Tip title={says}>
        <span className="label">{name}</span>
      </Tip>
      <Slider size="small" track={false} min={min} max={max} step={step} value={value} getAriaLabel={() => label} onChange={(e, v) => set(v as number, e.type === 'keydown' && 'held')} onChangeCommitted={(e, v) => e.type !== 'keyup' && e.type !== 'keydown' && set(v as number, true)} />
      <NumberField label={`${label}, number`} value={value} unit={unit} min={min} max={max} step={step} show={show} onDraft={(v) => set(v, false)} onDone={(v) => set(v, true)} onReset={() => reset !== undefined && set(reset, true)} />
    </div>
  )
}
