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
  /** A factor, where the number is geometric. */
  step: number
  geometric?: boolean
  show?: (v: number) => string
  /** What a double click on the number gives it. */
  reset?: number
  set: (v: number, done: boolean | 'held') => void
}

/** SliderField is a number by a slider and by a field: a name, a knob, a number. */
export function SliderField({ name, of, says, unit, value, min, max, step, geometric, show, reset, set }: Props) {
  // The knob of a geometric number goes by its logarithm.
  const knob = geometric ? { min: Math.log(min), max: Math.log(max), step: Math.log(step), value: Math.log(Math.max(value, min)), scale: Math.exp } : { min, max, step, value, scale: (v: number) => v }
  const label = of ? `${of} ${name.toLowerCase()}` : name
  return (
    <div className="slider-field">
      <Tip title={says}>
        <span className="label">{name}</span>
      </Tip>
      <Slider size="small" track={false} {...knob} getAriaLabel={() => label} getAriaValueText={show ?? String} onChange={(e, v) => set(knob.scale(v as number), e.type === 'keydown' && 'held')} onChangeCommitted={(e, v) => e.type !== 'keyup' && e.type !== 'keydown' && set(knob.scale(v as number), true)} />
      <NumberField label={`${label}, number`} value={value} unit={unit} min={min} max={max} step={step} geometric={geometric} show={show} onDraft={(v) => set(v, false)} onDone={(v) => set(v, true)} onReset={() => reset !== undefined && set(reset, true)} />
    </div>
  )
}
