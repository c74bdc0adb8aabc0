import { MenuItem, Select } from '@mui/material'
import type { Light } from '../../api.gen'
import { NumberField } from '../../ui/NumberField'
import { useSetup } from '../../kernel/store'
import { unitNames, unitOf, unitSays, type Unit } from '../../kernel/units'
import { lightEdits, othersOf } from '../../kernel/lightEdits'
import { Tip } from '../../ui/Tip'

/** Output is how strong a lamp is, in the unit it is told in. */
export function Output({ id, l }: { id: string; l: Light }) {
  const fact = useSetup((s) => s.lamps[id])
  const unit = unitOf(l)
  const units = (Object.keys(unitNames) as Unit[]).filter((u) => u === unit || fact?.perUnit[u])
  const measured = l.profile && !l.profile.scaled
  return (
    <div className="field wide">
      <span className="label">Output</span>
      <span className="pair">
        {measured ? (
          <Tip title="As the luminaire was measured; stops come on top">
            <span className="fixed">
              {Math.round(l.profile?.flux ?? 0)}
            </span>
          </Tip>
        ) : (
          <NumberField label={`${l.name} output`} value={l.output} min={0} max={1e9} step={1.08} geometric others={() => othersOf(id, (q) => (unitOf(q) === unit ? q.output : undefined))} onDraft={(v, c) => lightEdits.number(id, l, 'output', v, unitNames[unit], false, c)} onDone={(v, c) => lightEdits.number(id, l, 'output', v, unitNames[unit], true, c)} onStops={(s) => lightEdits.stops(id, l, l.stops + s)} />
        )}
        {measured ? (
          <span className="unit">lm, as measured</span>
        ) : (
          <Tip title={unitSays[unit]}>
            <Select className="unit-of" value={unit} inputProps={{ 'aria-label': `${l.name} unit` }} onChange={(e) => lightEdits.unit(id, l, e.target.value)} renderValue={(u) => unitNames[u]}>
              {units.map((u) => (
                <MenuItem key={u} value={u}>
                  {unitNames[u]} <span className="says">{unitSays[u]}</span>
                </MenuItem>
              ))}
            </Select>
          </Tip>
        )}
      </span>
      {!measured && unit === 'lx' && l.kind !== 'sun' ? (
        <NumberField label={`${l.name} lux at`} value={l.unitAt || 1} unit="m" min={0.05} max={1000} step={0.25} onDraft={(v, c) => lightEdits.number(id, l, 'unitAt', v, 'm', false, c)} onDone={(v, c) => lightEdits.number(id, l, 'unitAt', v, 'm', true, c)} />
      ) : !measured && unit === 'W' ? (
        <NumberField label={`${l.name} efficacy`} value={l.unitAt || 100} unit="lm/W" min={0.1} max={683} step={1} onDraft={(v, c) => lightEdits.number(id, l, 'unitAt', v, 'lm/W', false, c)} onDone={(v, c) => lightEdits.number(id, l, 'unitAt', v, 'lm/W', true, c)} />
      ) : (
        <span />
      )}
    </div>
  )
}
