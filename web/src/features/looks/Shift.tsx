import { useState } from 'react'
import { shiftAll } from '../../kernel/lookEdits'
import { SliderField } from '../../ui/SliderField'

/** Shift turns the hue, or the warmth, of the whole set: of all groups, in the look that changes go to. */
export function Shift() {
  const [by, setBy] = useState({ mired: 0, hue: 0 })
  const set = (field: 'mired' | 'hue', v: number, done: boolean) => {
    shiftAll(field, v, done)
    setBy({ ...by, [field]: done ? 0 : v })
  }
  return (
    <div className="look-part" role="group" aria-label="The whole set">
      <h2>The whole set</h2>
      <SliderField name="Warmer" of="Whole set" says="Mired added to every group: over 0 is warmer" unit="mired" min={-150} max={150} step={5} value={by.mired} set={(v, done) => set('mired', v, done !== false)} />
      <SliderField name="Hue" of="Whole set" says="Degrees round the colour circle, every group" unit="°" min={-180} max={180} step={5} value={by.hue} set={(v, done) => set('hue', v, done !== false)} />
    </div>
  )
}
