import { Button, MenuItem, Select } from '@mui/material'
import { useQuery } from '@tanstack/react-query'
import type { Grade, Warmth, Zone } from '../../api.gen'
import { api } from '../../kernel/client'
import { gradeIn, leaveGrade, setGrade, useGraded, zoneIn } from '../../kernel/gradeEdits'
import { useSetup } from '../../kernel/store'
import { cssColour, temperature, type RGB } from '../../kernel/sums'
import { startTool } from '../../picture/tool'
import { NumberField } from '../../ui/NumberField'
import { SliderField } from '../../ui/SliderField'
import { Tip } from '../../ui/Tip'
import { CurvePart } from './CurvePart'
import { ExposurePart } from './ExposurePart'
import { HuePart } from './HuePart'
import { TablePart } from './TablePart'
import { rangeOf, setPrimary, setRange, type Range } from './gradeEdits'

/** PictureSide is the step's side: exposure and curve, white balance, contrast and colours. */
export function PictureSide() {
  const doc = useSetup((s) => s.doc)
  const id = useSetup((s) => s.id)
  const chosen = useGraded((s) => s.zone)
  if (!doc) return <section className="air" aria-label="Picture" />
  const zone = zoneIn(doc, chosen)
  const g = gradeIn(doc, zone)
  const own = zone ? doc.zones[zone]?.grade : doc.grade
  return (
    <section className="air" aria-label="Picture">
      <ExposurePart />
      <Whose zones={doc.zones} zone={zone} />
      <White g={g} />
      <div className="air-part" role="group" aria-label="Contrast and colour">
        <h2>Contrast and colour</h2>
        <SliderField name="Contrast" says="Slope at middle grey: stops for each stop" value={g.contrast} min={0.5} max={2} step={0.05} show={(v) => v.toFixed(2)} reset={1} set={(v, done) => setGrade({ contrast: v }, `Contrast ${v.toFixed(2)}`, done)} />
        <SliderField name="Saturation" says="1 leaves colours as they are, 0 is grey" value={g.saturation} min={0} max={2} step={0.05} show={(v) => v.toFixed(2)} reset={1} set={(v, done) => setGrade({ saturation: v }, `Saturation ${v.toFixed(2)}`, done)} />
      </div>
      <Tones g={g} />
      <CurvePart g={g} />
      <HuePart g={g} />
      <div className="air-part" role="group" aria-label="Lens and film">
        <h2>Lens and film</h2>
        <SliderField name="Bloom" says="Share of the bright light that spreads round where it is; it is taken from there" unit="%" value={Math.round((g.bloom ?? 0) * 1000) / 10} min={0} max={50} step={0.5} show={(v) => v.toFixed(1)} reset={0} set={(v, done) => setGrade({ bloom: Math.round(v * 10) / 1000, ...(g.bloom ? {} : { bloomFrom: 2 }) }, `Bloom ${v.toFixed(1)} %`, done)} />
        {(g.bloom ?? 0) > 0 && <SliderField name="from" of="Bloom" says="Stops over middle grey from which on light spreads" unit="st" value={g.bloomFrom ?? 0} min={-1} max={6} step={0.1} show={(v) => v.toFixed(1)} reset={2} set={(v, done) => setGrade({ bloomFrom: Math.round(v * 100) / 100 }, `Bloom from ${v.toFixed(1)} stops`, done)} />}
        <SliderField name="Corners" says="How much light is taken out of corners, as a target’s ambient occlusion does; the light’s own shadows in them stay" unit="%" value={Math.round((g.corners ?? 0) * 100)} min={0} max={100} step={1} reset={0} set={(v, done) => setGrade({ corners: v / 100 }, `Corners ${v} %`, done)} />
        {(g.corners ?? 0) > 0 && <SliderField name="within" of="Corners" says="How far about a place corners are looked for" unit="m" geometric value={g.cornerReach || 0.5} min={0.05} max={5} step={1.1} show={(v) => v.toFixed(2)} reset={0.5} set={(v, done) => setGrade({ cornerReach: Math.round(v * 100) / 100 }, `Corners within ${v.toFixed(2)} m`, done)} />}
        <SliderField name="Vignette" says="By how many stops the corners are darker than the middle" unit="st" value={g.vignette ?? 0} min={0} max={3} step={0.1} show={(v) => v.toFixed(1)} reset={0} set={(v, done) => setGrade({ vignette: Math.round(v * 100) / 100 }, `Vignette ${v.toFixed(1)} st`, done)} />
        <SliderField name="Grain" says="How far neighbouring pixels stray, as a share of white" unit="%" value={Math.round((g.grain ?? 0) * 1000) / 10} min={0} max={15} step={0.5} show={(v) => v.toFixed(1)} reset={0} set={(v, done) => setGrade({ grain: Math.round(v * 10) / 1000 }, `Grain ${v.toFixed(1)} %`, done)} />
      </div>
      <TablePart g={g} />
      <div className="air-part air-row">
        {own ? (
          <Button variant="outlined" onClick={leaveGrade}>
            {zone ? 'as everywhere' : 'leave the grade out'}
          </Button>
        ) : (
          <span className="quiet">{zone ? 'It is graded as everywhere.' : 'Nothing is graded.'}</span>
        )}
        <Tip title="A table of 33 colours a side, from what is shown without the grade to what is shown with it">
          <Button variant="outlined" href={`/api/setups/${id}/grade.cube`} download>
            as a .cube table
          </Button>
        </Tip>
      </div>
    </section>
  )
}

/** Whose is whose grade is changed, where there are zones: that of everywhere, or a zone's. */
function Whose({ zones, zone }: { zones: Record<string, Zone>; zone: string }) {
  const list = Object.entries(zones)
  if (list.length === 0) return null
  return (
    <div className="air-part air-row">
      <span className="label">Graded</span>
      <Select size="small" value={zone} displayEmpty inputProps={{ 'aria-label': 'Whose grade is changed' }} onChange={(e) => useGraded.setState({ zone: e.target.value })}>
        <MenuItem value="">everywhere</MenuItem>
        {list.map(([id, z]) => (
          <MenuItem key={id} value={id}>
            {z.name}
            {z.grade ? '' : ', as everywhere'}
          </MenuItem>
        ))}
      </Select>
    </div>
  )
}

const coldest = 15000
const warmest = 1500

/** nearest is the temperature whose colour is nearest to a white. */
function nearest(w: Warmth, white: RGB): number {
  const of = (c: RGB) => [c[0] / c[1], c[2] / c[1]] as const
  const [r, b] = of(white)
  let best = 6500
  let least = Infinity
  for (let m = 1e6 / coldest; m < 1e6 / warmest; m += 2) {
    const [x, y] = of(temperature(w, 1e6 / m))
    const d = Math.hypot(Math.log(x / r), Math.log(y / b))
    if (d < least) {
      least = d
      best = 1e6 / m
    }
  }
  return Math.round(best / 10) * 10
}

/** White is what is to be neutral. */
function White({ g }: { g: Grade }) {
  const warmth = useQuery({ queryKey: ['warmth'], queryFn: api.warmth, staleTime: Infinity })
  const w = warmth.data
  const white: RGB = g.white ?? [1, 1, 1]
  const kelvin = w && g.white ? nearest(w, g.white) : 6500
  const tint = w && g.white ? tintOf(w, g.white, kelvin) : 0
  const set = (k: number, t: number, label: string, done: boolean | 'held') => w && setGrade({ white: tinted(temperature(w, k), t).map((v) => Math.round(v * 1e5) / 1e5) as RGB }, label, done)
  return (
    <div className="air-part" role="group" aria-label="White balance">
      <div className="air-head">
        <h2>White balance</h2>
        <span className="swatch" style={{ background: cssColour(white) }} />
      </div>
      <div className="air-row">
        <Tip title="Click a place in the picture that is to be grey">
          <Button variant="outlined" onClick={() => startTool('neutral', null)}>
            pick a neutral
          </Button>
        </Tip>
        {w && <NumberField label="White, temperature" value={kelvin} unit="K" min={warmest} max={coldest} step={1.03} geometric show={(v) => String(Math.round(v / 10) * 10)} onDraft={(v) => set(v, tint, '', false)} onDone={(v) => set(v, tint, `White at ${Math.round(v)} K`, true)} />}
        {g.white && (
          <Button className="word" onClick={() => setGrade({ white: undefined }, 'White as it is', true)}>
            as it is
          </Button>
        )}
      </div>
      {w && <SliderField name="Tint" of="White" says="What is to be neutral is greener (over 0), or more magenta, than light of that temperature; hundredths of a stop of green" value={Math.round(tint)} min={-60} max={60} step={1} reset={0} set={(v, done) => set(kelvin, v, `White’s tint ${v}`, done)} />}
    </div>
  )
}

/** greenness is how green a colour is, in hundredths of a stop. */
const greenness = (c: RGB) => 100 * Math.log2(c[1] / Math.sqrt(Math.max(c[0], 1e-6) * Math.max(c[2], 1e-6)))

/** tintOf is how much greener a white is than light of a temperature. */
const tintOf = (w: Warmth, white: RGB, kelvin: number) => greenness(white) - greenness(temperature(w, kelvin))

/** tinted is a white with more green, or less. */
const tinted = (c: RGB, t: number): RGB => [c[0], c[1] * 2 ** (t / 100), c[2]]

interface Tone {
  range: Range
  name: string
  says: string
  min: number
  max: number
  step: number
  neutral: number
}

const tones: Tone[] = [
  { range: 'lift', name: 'Shadows', says: 'Added in the dark; it fades towards white', min: -0.1, max: 0.1, step: 0.001, neutral: 0 },
  { range: 'gamma', name: 'Middles', says: 'Bends about middle grey: over 1 is brighter', min: 0.5, max: 2, step: 0.01, neutral: 1 },
  { range: 'gain', name: 'Lights', says: 'Multiplies', min: 0, max: 3, step: 0.01, neutral: 1 },
]
const primaries = ['red', 'green', 'blue']

/** Tones are shadows, middles and lights, all three primaries together and each by itself. */
function Tones({ g }: { g: Grade }) {
  return (
    <div className="air-part" role="group" aria-label="Shadows, middles and lights">
      <h2>Shadows, middles, lights</h2>
      {tones.map((t) => {
        const digits = (v: number) => v.toFixed(t.range === 'lift' ? 3 : 2)
        return (
          <div key={t.range}>
            <SliderField name={t.name} says={t.says} value={rangeOf(g, t.range)} min={t.min} max={t.max} step={t.step} show={digits} reset={t.neutral} set={(v, done) => setRange(g, t.range, v, `${t.name} ${digits(v)}`, done)} />
            <div className="field-row">
              {primaries.map((p, k) => (
                <NumberField key={p} label={`${t.name}, ${p}`} value={g[t.range][k] ?? 0} unit={p} min={t.range === 'lift' ? -0.5 : t.range === 'gamma' ? 0.2 : 0} max={t.range === 'lift' ? 0.5 : t.range === 'gamma' ? 5 : 8} step={t.step} show={digits} onDraft={(v) => setPrimary(g, t.range, k, v, '', false)} onDone={(v) => setPrimary(g, t.range, k, v, `${t.name} ${p} ${digits(v)}`, true)} onReset={() => setPrimary(g, t.range, k, t.neutral, `${t.name} ${p} as it was`, true)} />
              ))}
            </div>
          </div>
        )
      })}
    </div>
  )
}
