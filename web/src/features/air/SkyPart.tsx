import type { Day, Facts, Sky } from '../../api.gen'
import { setDay } from '../../kernel/day'
import { metres } from '../../kernel/fog'
import { edit, useSetup } from '../../kernel/store'
import { figure, nits } from '../../kernel/units'
import { OnOff } from '../../ui/Choice'
import { SliderField } from '../../ui/SliderField'

interface Row {
  field: 'turbidity' | 'clouds' | 'albedo'
  name: string
  says: string
  unit: string
  /** What is shown for each of the field's own. */
  times: number
  min: number
  max: number
  step: number
}

const rows: Row[] = [
  { field: 'turbidity', name: 'Haze', says: 'How much thicker air with haze is than air alone: 1 none, 2 clear, 4 hazy, 10 thick', unit: '× air', times: 1, min: 1, max: 10, step: 0.1 },
  { field: 'clouds', name: 'Clouds', says: 'Cover of an even layer: at 50 % the sun is weak, at 100 % it is overcast', unit: '%', times: 100, min: 0, max: 100, step: 1 },
  { field: 'albedo', name: 'Ground', says: 'Share of light that the ground around gives back', unit: '%', times: 100, min: 0, max: 100, step: 1 },
]

/** reach is how far off the sky's air hides a tenth, in metres: 13.6 per 1,000 km of air and, over 1.2 km in place of 8, as much for each of haze (Go's air package). */
const reach = (turbidity: number) => -Math.log(0.9) / (13.558e-6 * (1 + ((turbidity - 1) * 8000) / 1200))

/** SkyPart is haze, clouds and ground, and how much of the light is the sun's. */
export function SkyPart({ day, facts }: { day: Day; facts: Facts }) {
  const aerial = useSetup((s) => Boolean(s.doc?.aerial))
  // A sky that was painted has no air.
  const aired = useSetup((s) => Object.values(s.doc?.lights ?? {}).some((l) => l.air))
  const all = facts.sunLux + facts.skyLux
  return (
    <div className="air-part" role="group" aria-label="Sky">
      <h2>Sky</h2>
      {rows.map((r) => (
        <SkyRow key={r.field} row={r} day={day} />
      ))}
      {aired && <div className="air-row">
        <OnOff label="Aerial perspective" on={aerial} words={aerial ? 'air between is shown' : 'air between is left out'} says="Aerial perspective: the sky’s own air and haze between the eye and what is far off." change={() => edit(aerial ? 'The air between is left out' : 'The sky’s air stands between', [{ op: 'add', path: '/aerial', value: !aerial }])} />
        <span className="quiet">a tenth at {metres(reach(day.sky.turbidity))}</span>
      </div>}
      <p className="air-facts">
        <span>
          overhead {figure(facts.zenith)}, low {nits(facts.horizon)}
        </span>
        <span>{all > 0 ? `${Math.round((100 * facts.sunLux) / all)} % from the sun` : ''}</span>
      </p>
    </div>
  )
}

function SkyRow({ row, day }: { row: Row; day: Day }) {
  const shown = Math.round(day.sky[row.field] * row.times * 100) / 100
  const set = (v: number, done: boolean | 'held') => {
    const sky: Sky = { ...day.sky, [row.field]: Math.round((v / row.times) * 1000) / 1000 }
    setDay({ ...day, sky }, `${row.name} ${Math.round(v * 10) / 10}${row.unit === '%' ? ' %' : ''}`, done)
  }
  return <SliderField name={row.name} says={row.says} unit={row.unit} min={row.min} max={row.max} step={row.step} value={shown} set={set} />
}
