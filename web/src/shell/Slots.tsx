import type { Warmth } from '../api.gen'
import { features, type Slot } from '../kernel/feature'

/** Slots draws what the features have for a place of the frame. */
export function Slots({ of, warmth }: { of: Slot; warmth: Warmth }) {
  return features.map((f) => {
    const Part = f.slots?.[of]
    return Part && <Part key={f.id} warmth={warmth} />
  })
}
