import type { Warmth } from '../api.gen'
import { useLook } from '../picture/look'
import { useSetup } from '../setup/store'
import { Splits } from '../snapshots/Splits'
import { FigureCard, PinCards, WeighPanel } from '../weigh/WeighPanel'
import { Splitter, usePanes } from './panes'

/** Below is the space under the picture, for what is weighed, pinned and compared; folded away it gives its height to the picture. */
export function Below({ warmth }: { warmth: Warmth }) {
  const doc = useSetup((s) => s.doc)
  const folded = usePanes((s) => s.folded)
  const weighing = useLook((s) => s.weighing)
  const objects = useLook((s) => s.objects)
  const under = useLook((s) => s.under)
  const pins = useLook((s) => s.pins.length)
  if (!doc || (folded && !weighing)) return null
  const figure = weighing ? (under === '' ? null : Number(under)) : (objects[0] ?? null)
  return (
    <section className="below" aria-label="Weighed and pinned">
      <Splitter which="below" />
      <Splits />
      <div className="cards">
        {weighing && (
          <div className="card wide-card">{weighing.reading ? <WeighPanel reading={weighing.reading} doc={doc} warmth={warmth} title="Weighed here" /> : <p className="quiet">weighing …</p>}</div>
        )}
        {!weighing && <PinCards doc={doc} warmth={warmth} />}
        {figure !== null && <FigureCard object={figure} />}
        {!weighing && pins < 2 && (
          <div className="card hint">
            <b>Hold Q and point, to weigh</b>
            <p>What lights that spot, and how much. P pins the reading here: it follows the light. Click a figure to see how it stands out.</p>
          </div>
        )}
      </div>
    </section>
  )
}
