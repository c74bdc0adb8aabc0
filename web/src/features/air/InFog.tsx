import type { Light } from '../../api.gen'
import { lightEdits } from '../../kernel/lightEdits'
import { useSetup } from '../../kernel/store'
import { Choice } from '../../ui/Choice'

/** InFog says whether a light shows in the fog, and what that costs; nothing where there is none. */
export function InFog({ id, l }: { id: string; l: Light }) {
  const fog = useSetup((s) => Boolean(s.doc?.fog && !s.doc.fog.off))
  const cost = useSetup((s) => s.figures[s.view]?.budget?.lights[id])
  if (!fog) return null
  return (
    <div className="field span">
      <span className="label">In fog</span>
      <Choice label={`${l.name} in fog`} value={l.noAir ? 'out' : 'in'} options={[{ value: 'in', words: 'shows', says: 'Its shafts are seen in the fog' }, { value: 'out', words: 'kept out', says: 'It lights surfaces alone' }]} change={(v) => lightEdits.flag(id, l, 'noAir', v === 'out', v === 'out' ? 'kept out of fog' : 'shows in fog')} />
      {cost && cost.airMs > 0 && <span className="quiet">{cost.airMs.toFixed(2)} ms</span>}
    </div>
  )
}
