import { Suspense } from 'react'
import type { Warmth } from '../api.gen'
import { Safe } from '../ui/Safe'
import { features, type Slot } from '../kernel/feature'

/** Slots draws what the features have for a place of the frame. */
export function Slots({ of, warmth }: { of: Slot; warmth: Warmth }) {
  return features.map((f) => {
    const Part = f.slots?.[of]
    return (
      Part && (
        <Safe key={f.id} of={`This part (${f.id})`}>
          <Suspense fallback={null}>
            <Part warmth={warmth} />
          </Suspense>
        </Safe>
      )
    )
  })
}
