import { Button, LinearProgress } from '@mui/material'
import { useRef, useState } from 'react'
import type { Fit, Mapping, Target } from '../../api.gen'
import { Refused } from '../../kernel/client'
import { complain, edit, useSetup, type Op } from '../../kernel/store'
import { Text } from '../../ui/Text'
import { Tip } from '../../ui/Tip'
import { calibrate, readTarget } from './queries'

/** takeTarget makes a target the setup's own, and lights for it. */
function takeTarget(t: Target) {
  const id = t.id.toLowerCase().replace(/[^a-z0-9-]+/g, '-')
  const ops: Op[] = [{ op: 'add', path: `/targets/${id}`, value: { ...t, id } }, { op: 'replace', path: '/target', value: id }]
  edit(`Target ${t.name}`, ops)
}

const failed = (e: unknown) => complain(e instanceof Refused ? e.fault : { what: 'The file could not be read.', remedy: 'Try again.' })

/** Calibration fits the target to a device's own timings, and shows what is left over. */
export function Calibration({ device }: { device: Target }) {
  const id = useSetup((s) => s.id)
  const file = useRef<HTMLInputElement>(null)
  const other = useRef<HTMLInputElement>(null)
  const [fit, setFit] = useState<Fit | null>(null)
  const [busy, setBusy] = useState(false)
  const [open, setOpen] = useState(false)
  const [map, setMap] = useState<Mapping>({})
  const read = (f: File | undefined) => {
    if (!f || id === null) return
    setBusy(true)
    calibrate(id, f, map)
      .then(setFit, failed)
      .finally(() => setBusy(false))
  }
  return (
    <section className="calibration" aria-label="Calibration">
      <h3>The target’s numbers</h3>
      <p className="quiet">{device.says || 'Nothing is said of where they come from.'}</p>
      <p className="made">
        <Button variant="outlined" disabled={busy} onClick={() => file.current?.click()}>
          import timings
        </Button>
        <Tip title="Measured on the simulated device that ships, as a CSV file">
          <Button className="word" component="a" href={`/api/setups/${id}/timings.csv?seed=1`} download>
            simulated timings
          </Button>
        </Tip>
        <Button className="word" onClick={() => other.current?.click()}>
          open a target
        </Button>
        <Button className="word" aria-expanded={open} onClick={() => setOpen(!open)}>
          layout
        </Button>
      </p>
      <input ref={file} type="file" accept=".csv,.txt,.tsv" hidden aria-label="File of timings" onChange={(e) => (read(e.target.files?.[0]), (e.target.value = ''))} />
      <input
        ref={other}
        type="file"
        accept=".json"
        hidden
        aria-label="Target file"
        onChange={(e) => {
          const f = e.target.files?.[0]
          if (f) readTarget(f).then((t) => takeTarget(t), failed)
          e.target.value = ''
        }}
      />
      {open && <Layout map={map} set={setMap} />}
      {busy && <LinearProgress aria-label="The timings are being fitted" />}
      {fit && <Residuals fit={fit} take={() => takeTarget(fit.target)} />}
    </section>
  )
}

/** Layout says how a file of another layout is read. */
function Layout({ map, set }: { map: Mapping; set: (m: Mapping) => void }) {
  const line = (label: string, field: 'camera' | 'frame' | 'pass' | 'ms' | 'separator', own: string) => (
    <label>
      <span className="quiet">{label}</span>
      <Text label={`Column of the ${label}`} placeholder={own} value={map[field] ?? ''} max={80} onChange={(e) => set({ ...map, [field]: e.target.value })} />
    </label>
  )
  return (
    <div className="final-numbers" role="group" aria-label="Layout of the file">
      {line('camera', 'camera', 'camera')}
      {line('frame', 'frame', 'frame')}
      {!map.wide && line('pass', 'pass', 'pass')}
      {!map.wide && line('time', 'ms', 'ms')}
      {line('separator', 'separator', ',')}
      <span>
        <Button className="word" aria-pressed={map.wide ?? false} onClick={() => set({ ...map, wide: !map.wide })}>
          a column for each pass
        </Button>
        <Button className="word" aria-pressed={map.scale === 0.001} onClick={() => set({ ...map, scale: map.scale === 0.001 ? 1 : 0.001 })}>
          in microseconds
        </Button>
      </span>
    </div>
  )
}

/** Residuals are what was measured beside what the fitted target says, by camera and by pass. */
function Residuals({ fit, take }: { fit: Fit; take: () => void }) {
  const [numbers, setNumbers] = useState(false)
  return (
    <div data-testid="residuals">
      <p>
        A frame that was not seen is said <b>{(100 * fit.off).toFixed(1)} %</b> off on average, {(100 * fit.most).toFixed(1)} % at most.
      </p>
      <ByCamera fit={fit} />
      <ByPass fit={fit} />
      {fit.untimed.length > 0 && <p className="quiet">No timings of {fit.untimed.join(', ')}: they stay as they were.</p>}
      {fit.notes.map((n) => (
        <p key={n} className="quiet">
          {n}.
        </p>
      ))}
      <p className="made">
        <Button variant="outlined" onClick={take}>
          light for {fit.target.name}
        </Button>
        <Button className="word" aria-expanded={numbers} onClick={() => setNumbers(!numbers)}>
          its numbers
        </Button>
      </p>
      {numbers && (
        <table className="sheet-table">
          <tbody>
            {fit.coefficients.map((c) => (
              <tr key={c.pass + c.count}>
                <th scope="row">
                  {c.pass}: {c.count}
                </th>
                <td>{c.before.toPrecision(3)}</td>
                <td>
                  {c.ns.toPrecision(3)} ± {c.error.toPrecision(2)} ns
                </td>
                <td className="quiet">{c.told < 0.5 ? 'hardly told' : `${Math.round(100 * c.told)} % told`}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </div>
  )
}

const signed = (v: number) => (Math.abs(v) < 0.0005 ? '0' : `${v < 0 ? '−' : '+'}${Math.abs(v).toFixed(3)}`)

function ByCamera({ fit }: { fit: Fit }) {
  return (
    <table className="sheet-table" aria-label="Residuals by camera">
      <thead>
        <tr>
          <th>camera</th>
          <th>measured</th>
          <th>before</th>
          <th>fitted</th>
          <th>
            <Tip title="As the timings of all other cameras say it">
              <span>unseen</span>
            </Tip>
          </th>
          <th>frames</th>
        </tr>
      </thead>
      <tbody>
        {fit.cameras.map((c) => (
          <tr key={c.camera}>
            <th scope="row">{c.camera}</th>
            <td>{c.measured.toFixed(2)}</td>
            <td>{c.before.toFixed(2)}</td>
            <td>{c.fitted.toFixed(2)}</td>
            <td>{c.unseen.toFixed(2)}</td>
            <td title={`${c.left} left out: the clock was slow, or something else ran`}>
              {c.frames}
              {c.left > 0 ? ` − ${c.left}` : ''}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  )
}

function ByPass({ fit }: { fit: Fit }) {
  const passes = [...new Set(fit.residuals.map((r) => r.pass))]
  return (
    <table className="sheet-table" aria-label="Residuals by pass">
      <thead>
        <tr>
          <th>pass, ms off</th>
          {fit.cameras.map((c) => (
            <th key={c.camera}>{c.camera}</th>
          ))}
        </tr>
      </thead>
      <tbody>
        {passes.map((p) => (
          <tr key={p}>
            <th scope="row">{p}</th>
            {fit.cameras.map((c) => {
              const r = fit.residuals.find((q) => q.pass === p && q.camera === c.camera)
              return <td key={c.camera}>{r ? signed(r.fitted - r.measured) : ''}</td>
            })}
          </tr>
        ))}
      </tbody>
    </table>
  )
}
