import type { Day, Facts } from '../../api.gen'
import { setDay } from '../../kernel/day'
import { lux } from '../../kernel/units'
import { OnOff } from '../../ui/Choice'
import { NumberField } from '../../ui/NumberField'

/** MoonPart lets the moon shine: by the clock where it stood, by hand where it is put. */
export function MoonPart({ day, facts }: { day: Day; facts: Facts }) {
  const on = Boolean(day.moonlit)
  const { sky } = day
  const first = sky.moonLit ? {} : { moonHeight: 30, moonAzimuth: (sky.sunAzimuth + 150) % 360, moonLit: 1 }
  const turn = () => setDay({ ...day, moonlit: !on, sky: { ...sky, ...(on ? { moonLit: 0 } : first) } }, on ? 'No moon' : 'The moon shines', true)
  return (
    <>
      <div className="air-row">
        <OnOff label="Moon" on={on} words={on ? 'moon' : 'no moon'} says="The moon as a light of its own, and its light in the sky; by the clock it stands, and is lit, as on that date" change={turn} />
        <span className="quiet">{on ? `${facts.moonHeight.toFixed(0)}° high, ${Math.round(facts.moonLit * 100)} % lit${facts.moonLux > 0 ? `, ${lux(facts.moonLux)}` : ''}` : ''}</span>
      </div>
      {on && !day.byClock && <ByHand day={day} />}
    </>
  )
}

function ByHand({ day }: { day: Day }) {
  const { sky } = day
  const field = (name: 'moonHeight' | 'moonAzimuth' | 'moonLit', unit: string, times: number, min: number, max: number) => {
    const set = (v: number, done: boolean) => setDay({ ...day, sky: { ...sky, [name]: v / times } }, `Moon ${v.toFixed(0)}${unit}`, done)
    return <NumberField label={`Moon,${unit}`} value={(sky[name] ?? 0) * times} unit={unit} min={min} max={max} step={1} show={(v) => v.toFixed(0)} onDraft={(v) => set(v, false)} onDone={(v) => set(v, true)} />
  }
  return (
    <div className="field-row">
      {field('moonHeight', '° high', 1, -90, 90)}
      {field('moonAzimuth', '° round', 1, -360, 360)}
      {field('moonLit', '% lit', 100, 1, 100)}
    </div>
  )
}
