import { Button, MenuItem, Select } from '@mui/material'
import { useMutation } from '@tanstack/react-query'
import type { Instant, WalkAnswer } from '../../api.gen'
import { api } from '../../kernel/client'
import { setAuto, standardAuto } from '../../kernel/exposure'
import { entries, useSetup } from '../../kernel/store'
import { useThings } from '../../kernel/things'
import { NumberField } from '../../ui/NumberField'
import { SliderField } from '../../ui/SliderField'
import { count, Painted } from './Painted'

const places = { whole: 'the whole picture', centre: 'the middle most', spot: 'a spot', area: 'an area', painted: 'what is painted', named: 'an object' }

/** AutoPart is automatic exposure: where it meters, how it follows, and what it does on a way through the views, against what is held. */
export function AutoPart({ wanted, held }: { wanted: number | undefined; held: number }) {
  const a = useSetup((s) => s.doc?.auto) ?? standardAuto
  const one = (v: number) => v.toFixed(1)
  return (
    <div className="auto" role="group" aria-label="Automatic exposure">
      {wanted !== undefined && (
        <p className="air-facts">
          <span>here it would take</span>
          <b>
            EV {wanted.toFixed(1)}, {Math.abs(wanted - held).toFixed(1)} {wanted > held ? 'darker' : 'brighter'}
          </b>
        </p>
      )}
      <div className="air-row">
        <span className="label">Meters</span>
        <Select size="small" value={a.where} inputProps={{ 'aria-label': 'Where it meters' }} onChange={(e) => setAuto({ where: e.target.value }, `Meters ${places[e.target.value as keyof typeof places]}`)}>
          {Object.entries(places).map(([k, words]) => (
            <MenuItem key={k} value={k}>
              {words}
            </MenuItem>
          ))}
        </Select>
      </div>
      {a.where === 'painted' && <Painted value={a.painted} set={(painted, done) => setAuto({ painted }, `Meters ${count(painted)} painted places`, done)} />}
      {a.where === 'named' && <Named value={a.named ?? ''} />}
      {a.where === 'spot' && <Place label="Spot" names={['across', 'down']} value={a.spot} set={(spot, done) => setAuto({ spot: spot as [number, number] }, 'Where the spot lies', done)} />}
      {a.where === 'area' && <Place label="Area" names={['left', 'top', 'right', 'bottom']} value={a.area} set={(area, done) => setAuto({ area: area as [number, number, number, number] }, 'Where the area lies', done)} />}
      <SliderField name="Ignore dark" of="Ignores" says="Share of the darkest that is left out" unit="%" min={0} max={90} step={1} value={Math.round(a.dark * 100)} set={(v, done) => setAuto({ dark: v / 100 }, `Ignores the darkest ${v} %`, done)} />
      <SliderField name="Ignore bright" of="Ignores" says="Share of the brightest that is left out" unit="%" min={0} max={90} step={1} value={Math.round(a.bright * 100)} set={(v, done) => setAuto({ bright: v / 100 }, `Ignores the brightest ${v} %`, done)} />
      <SliderField name="In the dark" of="Bias" says="Stops of light that it adds where it is dark: under 0 the dark stays dark" unit="st" min={-4} max={4} step={0.1} value={a.inDark} show={one} reset={0} set={(v, done) => setAuto({ inDark: v }, `In the dark ${v.toFixed(1)} st`, done)} />
      <SliderField name="In the bright" of="Bias" says="Stops of light that it adds where it is bright" unit="st" min={-4} max={4} step={0.1} value={a.inBright} show={one} reset={0} set={(v, done) => setAuto({ inBright: v }, `In the bright ${v.toFixed(1)} st`, done)} />
      <SliderField name="Never below" of="Exposure" says="The least EV: in the dark it opens no further" unit="EV" min={-6} max={16} step={0.5} value={a.least} show={one} set={(v, done) => setAuto({ least: Math.min(v, a.most) }, `Never below EV ${v.toFixed(1)}`, done)} />
      <SliderField name="Never above" of="Exposure" says="The greatest EV: in bright light it closes no further" unit="EV" min={-6} max={20} step={0.5} value={a.most} show={one} set={(v, done) => setAuto({ most: Math.max(v, a.least) }, `Never above EV ${v.toFixed(1)}`, done)} />
      <SliderField name="To bright" of="Adapts" says="Stops a second by which it follows what gets brighter" unit="st/s" geometric min={0.05} max={20} step={1.2} value={a.toBright} show={(v) => v.toFixed(2)} set={(v, done) => setAuto({ toBright: Math.round(v * 100) / 100 }, `To bright ${v.toFixed(1)} stops a second`, done)} />
      <SliderField name="To dark" of="Adapts" says="Stops a second by which it follows what gets darker" unit="st/s" geometric min={0.05} max={20} step={1.2} value={a.toDark} show={(v) => v.toFixed(2)} set={(v, done) => setAuto({ toDark: Math.round(v * 100) / 100 }, `To dark ${v.toFixed(1)} stops a second`, done)} />
      <Walk />
    </div>
  )
}

/** Named is the object that is metered. */
function Named({ value }: { value: string }) {
  const things = useThings((s) => s.things)
  const names = [...new Set(things.map((t) => t.path.split('/')[0] ?? ''))].sort()
  return (
    <div className="air-row">
      <span className="label">Object</span>
      <Select size="small" value={names.includes(value) ? value : ''} displayEmpty inputProps={{ 'aria-label': 'What is metered' }} onChange={(e) => setAuto({ named: e.target.value }, `Meters ${e.target.value}`)}>
        <MenuItem value="">choose one</MenuItem>
        {names.map((n) => (
          <MenuItem key={n} value={n}>
            {n}
          </MenuItem>
        ))}
      </Select>
    </div>
  )
}

/** Place are shares of the picture, each by a number in per cent. */
function Place({ label, names, value, set }: { label: string; names: string[]; value: number[]; set: (v: number[], done: boolean) => void }) {
  const put = (k: number, v: number, done: boolean) => set(value.map((o, i) => (i === k ? v / 100 : o)), done)
  return (
    <div className="field-row">
      {names.map((n, k) => (
        <NumberField key={n} label={`${label}, ${n}`} value={Math.round((value[k] ?? 0) * 100)} unit={`% ${n}`} min={0} max={100} step={1} onDraft={(v) => put(k, v, false)} onDone={(v) => put(k, v, true)} />
      ))}
    </div>
  )
}

const none: string[] = []

/** Walk asks the server to go through the views, and draws what exposure does. */
function Walk() {
  const id = useSetup((s) => s.id)
  const views = useSetup((s) => s.doc?.views)
  const cameras = useThings((s) => s.facts?.travelling ?? none)
  const long = useThings((s) => s.facts?.duration ?? 0)
  const go = useMutation({ mutationFn: (camera: string) => api.walk(id ?? 0, camera ? { views: [], camera, seconds: Math.max(long, 0.1) } : { views: entries(views ?? {}).map(([k]) => k), seconds: 5 * Math.max(Object.keys(views ?? {}).length, 1) }) })
  return (
    <div role="group" aria-label="Along the views">
      <p className="made">
        <Button variant="outlined" disabled={go.isPending} onClick={() => go.mutate('')}>
          {go.isPending ? 'walking …' : 'walk through the views'}
        </Button>
        {cameras.map((c) => (
          <Button key={c} variant="outlined" disabled={go.isPending} onClick={() => go.mutate(c)}>
            with {c}
          </Button>
        ))}
        {go.data && (
          <span>
            strays <b>{go.data.swing.toFixed(1)} st</b> at {go.data.moments[go.data.at]?.near}
          </span>
        )}
        {go.isError && <span>The server did not answer: try again.</span>}
      </p>
      {go.data && <Plot answer={go.data} />}
    </div>
  )
}

/** Plot is exposure over time: what is held, what is asked for, and what adapts to it. */
function Plot({ answer }: { answer: WalkAnswer }) {
  const m = answer.moments
  const all = m.flatMap((x) => [x.held, x.wanted, x.adapted])
  const lo = Math.floor(Math.min(...all) - 0.5)
  const hi = Math.ceil(Math.max(...all) + 0.5)
  const long = m[m.length - 1]?.seconds || 1
  const line = (of: (x: Instant) => number) => m.map((x, i) => `${i ? 'L' : 'M'}${((100 * x.seconds) / long).toFixed(2)} ${(50 - (50 * (of(x) - lo)) / (hi - lo)).toFixed(2)}`).join(' ')
  // Names that would lie over each other are left out.
  const names = m.filter((x, i) => i === 0 || x.near !== m[i - 1]?.near).filter((x, i, l) => i === 0 || x.seconds - (l[i - 1]?.seconds ?? 0) > 0.17 * long)
  return (
    <figure className="walk-plot" data-testid="walk-plot">
      <svg viewBox="0 0 100 50" preserveAspectRatio="none" role="img" aria-label={`Exposure along the views, EV ${lo} to ${hi}: it strays ${answer.swing.toFixed(1)} stops from what is held at most`}>
        <path className="held" d={line((x) => x.held)} />
        <path className="wanted" d={line((x) => x.wanted)} />
        <path className="adapted" d={line((x) => x.adapted)} />
      </svg>
      <figcaption>
        {names.map((x) => (
          <span key={x.seconds} style={x.seconds > 0.75 * long ? { right: 0 } : { left: `${(100 * x.seconds) / long}%` }}>
            {x.near}
          </span>
        ))}
      </figcaption>
      <p className="quiet">
        EV {lo} to {hi}: <i className="key held" /> held <i className="key wanted" /> asked for <i className="key adapted" /> adapted
      </p>
    </figure>
  )
}
