import type { Warmth } from '../api.gen'
import { useLook } from '../kernel/look'
import { usePanes } from '../kernel/panes'
import { useSetup } from '../kernel/store'
import { Splitter } from '../ui/Splitter'
import { Slots } from './Slots'

/** Below is the space under the picture, for what is weighed, pinned and compared; folded away it gives its height to the picture. */
export function Below({ warmth }: { warmth: Warmth }) {
  const there = useSetup((s) => s.doc !== null)
  const folded = usePanes((s) => s.folded)
  const weighing = useLook((s) => s.weighing)
  if (!there || (folded && !weighing)) return null
  return (
    <section className="below" aria-label="Weighed and pinned">
      <Splitter which="below" />
      <Slots of="below" warmth={warmth} />
    </section>
  )
}
