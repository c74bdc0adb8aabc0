import type { Light } from '../../api.gen'
import { NumberField } from '../../ui/NumberField'
import { angles, aimed } from '../../kernel/camera'
import { standing } from '../../kernel/travel'
import { lightEdits } from '../../kernel/lightEdits'

const axisNames = ['x', 'y', 'z'] as const

/** Stands is where a light stands and points, as numbers: metres, and degrees from north (away along z) and from level. */
export function Stands({ id, l, placed, aims }: { id: string; l: Light; placed: boolean; aims: boolean }) {
  const there = standing(id, l)
  const a = angles(there.aim)
  return (
    <>
      {placed && (
        <div className="field span triple">
          <span className="label">Stands</span>
          {axisNames.map((axis, k) => (
            <NumberField key={axis} label={`${l.name} ${axis}`} value={there.position[k] ?? 0} unit={axis} min={-1e5} max={1e5} step={0.1} show={(v) => v.toFixed(2)} onDraft={(_, c) => lightEdits.stand(id, l, k, c, false)} onDone={(_, c) => lightEdits.stand(id, l, k, c, true)} />
          ))}
        </div>
      )}
      {aims && (
        <div className="field span triple">
          <span className="label">Points</span>
          <NumberField label={`${l.name} turned`} value={a.turn} unit="° turn" min={-360} max={360} step={1} show={(v) => v.toFixed(1)} onDraft={(v) => lightEdits.point(id, aimed(v, a.rise), false)} onDone={(v) => lightEdits.point(id, aimed(v, a.rise), true)} />
          <NumberField label={`${l.name} raised`} value={a.rise} unit="° rise" min={-90} max={90} step={1} show={(v) => v.toFixed(1)} onDraft={(v) => lightEdits.point(id, aimed(a.turn, v), false)} onDone={(v) => lightEdits.point(id, aimed(a.turn, v), true)} />
        </div>
      )}
    </>
  )
}
