import { Button } from '@mui/material'
import type { Warmth } from '../../api.gen'
import { useLook } from '../../kernel/look'
import { useSetup } from '../../kernel/store'
import { turnWeighing } from './commands'
import { FigureCard, PinCards, WeighPanel } from './WeighPanel'

/** Cards are what is weighed and pinned, and how the figure that is pointed at stands out. */
export function Cards({ warmth }: { warmth: Warmth }) {
  const doc = useSetup((s) => s.doc)
  const weighing = useLook((s) => s.weighing)
  const objects = useLook((s) => s.objects)
  const under = useLook((s) => s.under)
  const pins = useLook((s) => s.pins.length)
  const weighs = useLook((s) => s.weighs)
  if (!doc) return null
  const figure = weighing ? (under === '' ? null : Number(under)) : (objects[0] ?? null)
  return (
    <div className="cards">
      {weighing && (
        <div className="card wide-card">{weighing.reading ? <WeighPanel reading={weighing.reading} doc={doc} warmth={warmth} title="Weighed here" /> : <p className="quiet">weighing …</p>}</div>
      )}
      {!weighing && <PinCards doc={doc} warmth={warmth} />}
      {figure !== null && <FigureCard object={figure} />}
      {(weighs || (!weighing && pins < 2)) && (
        <div className="card hint">
          <b>{weighs ? 'Point, to weigh; click, to pin' : 'Hold Q and point, to weigh'}</b>
          <p>What lights that spot, and how much. P pins the reading here: it follows the light. Click a figure to see how it stands out.</p>
          <Button className="word" aria-pressed={weighs} onClick={turnWeighing}>
            {weighs ? 'end weighing' : 'weigh with the pointer'}
          </Button>
        </div>
      )}
    </div>
  )
}
