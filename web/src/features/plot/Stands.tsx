import { Table, TableBody, TableCell, TableHead, TableRow } from '@mui/material'
import { useState } from 'react'
import type { Light, Plot, Setup, Stand } from '../../api.gen'
import { api } from '../../kernel/client'
import { lightEdits, linkedWith, lockedLight } from '../../kernel/lightEdits'
import { gazeNow } from '../../kernel/live'
import { choose, useLook } from '../../kernel/look'
import { stopsText, tidy } from '../../kernel/number'
import { edit, say, useSetup, type Op } from '../../kernel/store'
import { OnOff } from '../../ui/Choice'
import { NumberField } from '../../ui/NumberField'
import { Tip } from '../../ui/Tip'
import type { Move } from './Drawn'
import { moved, ratioStops, round } from './geometry'

/** holdAt moves a light to another distance from the subject and keeps what it gives there. */
async function holdAt(p: Plot, light: string, distance: number) {
  const { id } = useSetup.getState()
  if (id === null) return
  try {
    const a = await api.place(id, { gaze: gazeNow(0), how: 'hold', light, x: 0.5, y: 0.5, fromX: 0, fromY: 0, distance, at: p.pivot })
    if (a.able) lightEdits.place(light, a, `at ${tidy(distance)} m, as bright`, true)
    else say(a.words)
  } catch {
    say('The server did not answer.')
  }
}

const lux = (v: number) => (v < 10 ? v.toFixed(1) : Math.round(v))
const columns = ['light', 'azimuth', 'height', 'distance', 'lux']
const mostRows = 9

interface StandsProps {
  p: Plot
  doc: Setup
  shown: Stand[]
  put: (m: Move, done: boolean) => void
}

/** Stands are the lights of a subject by azimuth, height and distance, each a field, and the lux of each. */
export function Stands({ p, doc, shown, put }: StandsProps) {
  const [hold, setHold] = useState(false)
  return (
    <>
      <Table className="stands" aria-label={`Lights round ${p.subject}`}>
        <TableHead>
          <TableRow>
            {columns.map((c) => (
              <TableCell key={c} component="th" scope="col">
                {c}
              </TableCell>
            ))}
          </TableRow>
        </TableHead>
        <TableBody>
          {[...shown]
            .sort((a, b) => b.lux - a.lux)
            .slice(0, mostRows)
            .map((s) => (
              <StandRow key={s.id} p={p} doc={doc} s={s} hold={hold} put={put} />
            ))}
          <TableRow>
            <TableCell component="th" scope="row">
              from all sides
            </TableCell>
            <TableCell colSpan={3} />
            <TableCell className="lux">{lux(p.even)}</TableCell>
          </TableRow>
        </TableBody>
      </Table>
      <p>
        <OnOff on={hold} words="hold brightness at a new distance" says="A new distance changes the light's stops, so that it is as bright on the figure" change={() => setHold(!hold)} />
      </p>
    </>
  )
}

function StandRow({ p, doc, s, hold, put }: { p: Plot; doc: Setup; s: Stand; hold: boolean; put: StandsProps['put'] }) {
  const chosen = useLook((x) => x.chosen === s.id)
  const l = doc.lights[s.id] as Light
  const locked = lockedLight(doc, l)
  const set = (az: number, h: number, d: number, words: string, done: boolean) => put({ id: s.id, changes: moved(p, l, s, round(az, h, d)), words }, done)
  const distance = (v: number, done: boolean) => {
    if (!hold) set(s.azimuth, s.height, v, `${tidy(v)} m away`, done)
    else if (done) void holdAt(p, s.id, v)
  }
  const field = (what: string, v: number, unit: string, min: number, max: number, step: number, f: (v: number, done: boolean) => void) => (
    <Tip title={locked ? 'Locked: unlock it first (K)' : undefined}>
      <TableCell inert={locked}>
        <NumberField label={`${l.name} ${what}`} value={v} unit={unit} min={min} max={max} step={step} show={(x) => (unit === 'm' ? x.toFixed(2) : String(Math.round(x)))} onDraft={(x) => f(x, false)} onDone={(x) => f(x, true)} />
      </TableCell>
    </Tip>
  )
  return (
    <TableRow className={chosen ? 'on' : ''} onClick={() => choose(s.id)}>
      <Tip title={s.by ? `Hidden by ${s.by}` : l.name}>
        <TableCell component="th" scope="row">
          {l.name}
          <span className="quiet"> {s.by ? 'hidden' : s.part}</span>
        </TableCell>
      </Tip>
      {field('azimuth', s.azimuth, '°', -180, 180, 5, (v, done) => set(v, s.height, s.distance, `azimuth ${Math.round(v)}°`, done))}
      {field('height', s.height, '°', -89, 89, 5, (v, done) => set(s.azimuth, v, s.distance, `${Math.round(v)}° high`, done))}
      {s.far ? <TableCell /> : field('distance', s.distance, 'm', 0.1, 200, 0.1, distance)}
      <TableCell className="lux">{lux(s.lux)}</TableCell>
    </TableRow>
  )
}

/** setRatio brings a ratio to so many times, by the stops of the lights that make it. */
function setRatio(r: Plot['ratios'][number], times: number) {
  const by = ratioStops(r.name, r.times, times)
  if (!Number.isFinite(by)) return
  const ids = new Set(r.moves.flatMap((i) => linkedWith(i)))
  const ops = [...ids].flatMap((i): Op[] => {
    const l = useSetup.getState().kept?.lights[i]
    return l ? [{ op: 'replace', path: `/lights/${i}/stops`, value: Math.round((l.stops + by) * 1000) / 1000 }] : []
  })
  edit(`${r.name} ${tidy(times)}:1`, ops)
}

/** Ratios are how many times more light falls on one side than on another. */
export function Ratios({ p }: { p: Plot }) {
  return p.ratios.map((r) => {
    const least = r.name === 'lighting ratio' ? 1.01 : 0.01
    return (
      <div key={r.name} className="ratio">
        <span>{r.name}</span>
        <NumberField label={r.name} value={r.times} unit=": 1" min={least} max={4096} step={1.05} geometric show={(v) => (v >= 10 ? v.toFixed(0) : v.toFixed(1))} onDraft={() => undefined} onDone={(v) => setRatio(r, v)} />
        <NumberField label={`${r.name} in stops`} value={r.stops} unit="st" min={-12} max={12} step={1 / 3} show={stopsText} onDraft={() => undefined} onDone={(v) => setRatio(r, Math.max(2 ** v, least))} />
      </div>
    )
  })
}
