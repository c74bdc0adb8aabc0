import { Button, MenuItem, Select, Switch } from '@mui/material'
import type { Route, Rules } from '../../api.gen'
import { moveCamera, cameraNow } from '../../kernel/look'
import { useThings } from '../../kernel/things'
import { NumberField } from '../../ui/NumberField'
import { Text } from '../../ui/Text'
import { Tip } from '../../ui/Tip'
import { addRoute, addStop, removeRoute, setRoute, setRule } from './routeEdits'

const tidy = (v: number) => String(Math.round(v * 100) / 100)

/** RoutePart is how the route goes and what it is held to: its stops, its speed, its rules. */
export function RoutePart({ id, r }: { id: string; r: Route }) {
  const travelling = useThings((s) => s.facts?.travelling) ?? []
  const number = (label: string, field: 'speed' | 'eye' | 'fovY' | 'ahead', unit: string, min: number, max: number, step: number, tip: string) => (
    <label>
      <span className="quiet" title={tip}>
        {label}
      </span>
      <NumberField label={`Route ${label}`} value={r[field]} unit={unit} min={min} max={max} step={step} show={tidy} onDraft={() => undefined} onDone={(v) => setRoute(id, r, { [field]: Math.round(v * 100) / 100 }, `${label} ${tidy(v)} ${unit}`)} />
    </label>
  )
  const rule = (label: string, field: keyof Rules, unit: string, max: number, step: number, tip: string, percent = false) => (
    <label>
      <span className="quiet" title={tip}>
        {label}
      </span>
      <NumberField label={`Rule: ${label}`} value={percent ? 100 * r.rules[field] : r.rules[field]} unit={r.rules[field] === 0 ? '' : unit} min={0} max={max} step={step} show={(v) => (v === 0 ? 'not held' : tidy(v))} onDraft={() => undefined} onDone={(v) => setRule(id, r, { [field]: percent ? Math.round(v) / 100 : Math.round(v * 100) / 100 }, `${label} ${v === 0 ? 'not held' : `${tidy(v)} ${unit}`}`)} />
    </label>
  )
  return (
    <div className="air-part" role="group" aria-label="How it goes">
      <div className="air-head">
        <h2>How it goes</h2>
        <span className="quiet">{r.camera ? 'by a camera of the place' : `${r.stops.length} ${r.stops.length === 1 ? 'stop' : 'stops'}`}</span>
      </div>
      <div className="air-row">
        <Line label="Name of the route" value={r.name} done={(name) => name && setRoute(id, r, { name }, `named ${name}`)} />
      </div>
      {travelling.length > 0 && (
        <div className="air-row">
          <span className="label">goes</span>
          <Select size="small" variant="standard" displayEmpty value={r.camera ?? ''} inputProps={{ 'aria-label': 'Goes by' }} onChange={(e) => setRoute(id, r, { camera: e.target.value }, e.target.value ? `goes by ${e.target.value}` : 'goes over its stops')}>
            <MenuItem value="">over its stops</MenuItem>
            {travelling.map((c) => (
              <MenuItem key={c} value={c}>
                {c}
              </MenuItem>
            ))}
          </Select>
        </div>
      )}
      {!r.camera && <Stops id={id} r={r} />}
      <div className="final-numbers">
        {number('speed', 'speed', 'm/s', 0.1, 20, 0.1, 'How fast one walks')}
        {number('eye', 'eye', 'm', 0.1, 10, 0.05, 'How high the eye is over the ground')}
        {number('angle', 'fovY', '°', 10, 120, 1, 'Vertical angle of view')}
        {number('looks', 'ahead', 'm', 0.5, 30, 0.5, 'How far along the way one looks')}
      </div>
      <div className="air-row">
        <Tip title="As automatic exposure would follow, or as views and zones hold it">
          <span className="label">exposure adapts</span>
        </Tip>
        <Switch size="small" checked={r.adapts ?? false} slotProps={{ input: { 'aria-label': 'Exposure adapts along the route' } }} onChange={(e) => setRoute(id, r, { adapts: e.target.checked }, e.target.checked ? 'exposure adapts' : 'exposure is held')} />
      </div>
      <h3>Held to</h3>
      <div className="final-numbers">
        {rule('figure', 'figure', 'st', 5, 0.1, 'A figure 5 m ahead stands so many stops apart from what is behind it, or in another colour')}
        {rule('path', 'path', 'st', 5, 0.1, 'The path stands so many stops apart from the walls')}
        {rule('exit', 'exit', 'st', 5, 0.1, 'The next exit that the way leads through stands so many stops apart from the wall about it, or in another colour')}
        {rule('light', 'lux', 'lx', 1000, 0.1, 'At the eye, at least')}
        {rule('black', 'dark', '%', 100, 5, 'Of the picture that is shown as black, at most', true)}
        {rule('white', 'bright', '%', 100, 5, 'Of the picture that is shown as white, at most', true)}
        {rule('exposure', 'swing', 'st', 10, 0.5, 'That exposure has still to go, at most')}
        {rule('frame', 'ms', 'ms', 100, 0.1, 'What a frame may take; not held: the target’s limit')}
      </div>
      <p className="made">
        <Button className="word" onClick={addRoute}>
          another route from here
        </Button>
        <Button className="word" onClick={() => removeRoute(id, r)}>
          remove
        </Button>
      </p>
    </div>
  )
}

/** Line is a line of text that is kept when the hand leaves it. */
function Line({ label, value, done }: { label: string; value: string; done: (v: string) => void }) {
  return (
    <Text
      key={value}
      label={label}
      max={80}
      defaultValue={value}
      onBlur={(e) => e.target.value.trim() !== value && done(e.target.value.trim())}
      onKeyDown={(e) => e.key === 'Enter' && (e.target as HTMLElement).blur()}
    />
  )
}

/** Stops are the places that the route passes, in their order. */
function Stops({ id, r }: { id: string; r: Route }) {
  const go = (k: number) => {
    const s = r.stops[k]
    const c = cameraNow()
    const to = r.stops[k + 1] ?? r.stops[k - 1]
    if (!s || !c || !to) return
    const aim: [number, number, number] = [to.at[0] - s.at[0], 0, to.at[2] - s.at[2]]
    const l = Math.hypot(...aim)
    moveCamera({ ...c, name: 'On the route', eye: [s.at[0], s.at[1] + r.eye, s.at[2]], aim: l > 0.01 ? [aim[0] / l, -0.05, aim[2] / l] : c.aim, roll: 0, fovY: r.fovY }, false)
  }
  const set = (stops: Route['stops'], words: string) => setRoute(id, r, { stops }, words)
  return (
    <>
      <ul className="walk-list" aria-label="Stops">
        {r.stops.map((s, k) => (
          <li key={k}>
            <Button className="word" onClick={() => go(k)}>
              {k + 1}
            </Button>
            <Line label={`Name of stop ${k + 1}`} value={s.name ?? ''} done={(name) => set(r.stops.map((q, i) => (i === k ? { ...q, name } : q)), `stop ${k + 1} named ${name}`)} />
            <span className="quiet">{s.at.map((v) => v.toFixed(1)).join(' ')}</span>
            <Button className="word" aria-label={`Remove stop ${k + 1}`} onClick={() => set(r.stops.filter((_, i) => i !== k), `stop ${k + 1} removed`)}>
              remove
            </Button>
          </li>
        ))}
      </ul>
      <p className="made">
        <Tip title="On the ground under where the eye stands now">
          <Button className="word" onClick={() => addStop(id, r)}>
            a stop here
          </Button>
        </Tip>
      </p>
    </>
  )
}
