import { Button } from '@mui/material'
import { useState } from 'react'
import type { Cost, Sheet as Data, Setup } from '../../api.gen'
import { useComparison } from '../../kernel/comparison'
import { choose, useLook } from '../../kernel/look'
import { useDevice } from '../../kernel/queries'
import { useSetup } from '../../kernel/store'
import { Choice } from '../../ui/Choice'
import { Tip } from '../../ui/Tip'
import { Calibration } from './Calibration'
import { useSheet } from './queries'

type By = 'pass' | 'light' | 'group' | 'feature' | 'memory' | 'steps'
const bys: { value: By; words: string; says: string }[] = [
  { value: 'pass', words: 'passes', says: 'As the target does the frame, each pass with its formula' },
  { value: 'light', words: 'lights', says: 'What each light costs' },
  { value: 'group', words: 'groups', says: 'What each group of lights costs' },
  { value: 'feature', words: 'features', says: 'What it is spent on' },
  { value: 'memory', words: 'memory', says: 'Where the megabytes go' },
  { value: 'steps', words: 'quality', says: 'What each number of quality costs a step' },
]

const ms = (v: number) => `${v.toFixed(v < 0.0995 ? 3 : 2)} ms`
const many = (v: number) => (v >= 1e6 ? `${(v / 1e6).toFixed(2)} M` : v >= 1e4 ? `${Math.round(v / 1000)} k` : String(Math.round(v * 100) / 100))

/** Sheet is the frame of the view in all its parts, against its limits and a kept state; and the target's calibration. */
export function Sheet() {
  const doc = useSetup((s) => s.doc)
  const view = useSetup((s) => s.view)
  const on = useLook((s) => s.onRoute)
  const own = useLook((s) => s.camera !== null)
  const device = useDevice()
  const compared = useComparison((s) => s.compared?.name)
  const { data, isError } = useSheet()
  const [by, setBy] = useState<By>('pass')
  if (!doc) return null
  return (
    <div className="panel-body budget-sheet" data-testid="sheet">
      <p className="sheet-head">
        <b>{on ? `${doc.routes?.[on.route]?.name}, ${Math.round(on.metres)} m` : own ? 'Where you stand' : doc.views[view]?.name}</b> on {device?.name}{' '}
        {data && (
          <span className={data.frame.ms > data.frame.limitMs ? 'over' : ''}>
            {data.frame.ms.toFixed(2)} of {data.frame.limitMs.toFixed(2)} ms{data.frame.ms > data.frame.limitMs ? ', over' : ''}
          </span>
        )}
        {data?.kept && (
          <span className="quiet">
            {' '}
            · {compared}: {data.kept.ms.toFixed(2)} ms ({signed(data.frame.ms - data.kept.ms)})
          </span>
        )}
      </p>
      <Choice label="The frame by" value={by} change={setBy} options={bys} />
      {isError && <p className="quiet">This view has not been counted.</p>}
      {data && <Table by={by} data={data} doc={doc} />}
      {data && data.frame.unknown.length > 0 && <p className="quiet">Not known: {data.frame.unknown.join('; ')}.</p>}
      {device && <Calibration device={device} />}
    </div>
  )
}

const signed = (v: number) => `${v < 0 ? '−' : '+'}${Math.abs(v).toFixed(2)} ms`

function Table({ by, data, doc }: { by: By; data: Data; doc: Setup }) {
  switch (by) {
    case 'pass':
      return <Passes data={data} />
    case 'light':
      return <Lights data={data} doc={doc} />
    case 'group':
      return <Groups data={data} doc={doc} />
    case 'feature':
      return <Rows rows={Object.entries(data.frame.features).map(([name, v]) => ({ name, ms: v, was: data.kept?.features[name] }))} of={data.frame.limitMs} />
    case 'memory':
      return <Memory data={data} />
    case 'steps':
      return <Steps data={data} />
  }
}

interface Line {
  name: string
  ms: number
  was?: number | undefined
}

/** Rows are names with milliseconds and a bar, the most first. */
function Rows({ rows, of }: { rows: Line[]; of: number }) {
  const kept = rows.some((r) => r.was !== undefined)
  return (
    <table className="sheet-table">
      <tbody>
        {[...rows]
          .sort((a, b) => b.ms - a.ms)
          .filter((r) => r.ms > 0.0005 || (r.was ?? 0) > 0.0005)
          .map((r) => (
            <tr key={r.name}>
              <th scope="row">{r.name}</th>
              <td className="bar">
                <i style={{ width: `${Math.min((100 * r.ms) / of, 100)}%` }} />
              </td>
              <td>{ms(r.ms)}</td>
              {kept && <td className="quiet">{signed(r.ms - (r.was ?? 0))}</td>}
            </tr>
          ))}
      </tbody>
    </table>
  )
}

function Passes({ data }: { data: Data }) {
  const [open, setOpen] = useState<string | null>(null)
  return (
    <table className="sheet-table">
      <tbody>
        {data.frame.passes.map((p, i) => {
          const was = data.kept?.passes.find((q) => q.name === p.name)?.ms
          return [
            <tr key={p.name}>
              <th scope="row">
                <Button className="word" aria-expanded={open === p.name} onClick={() => setOpen(open === p.name ? null : p.name)}>
                  {p.name}
                </Button>
              </th>
              <td className="bar">
                <i style={{ width: `${Math.min((100 * p.ms) / data.frame.limitMs, 100)}%` }} />
              </td>
              <td>
                {ms(p.ms)}
                {p.error > 0 && <span className="quiet"> ± {p.error.toFixed(2)}</span>}
              </td>
              {was !== undefined && <td className="quiet">{signed(p.ms - was)}</td>}
            </tr>,
            open === p.name && (
              <tr key={`${p.name} open`}>
                <td colSpan={4}>
                  <p className="formula">{data.formulas[i]}</p>
                  <ul className="terms">
                    {p.terms
                      .filter((t) => t.n > 0)
                      .map((t) => (
                        <li key={t.count}>
                          <Tip title={`${t.says}; ${t.source}`}>
                            <span>
                              {t.count} {many(t.n)} × {t.ns.toPrecision(3)} ns
                            </span>
                          </Tip>
                          <span>{ms(t.ms)}</span>
                        </li>
                      ))}
                  </ul>
                </td>
              </tr>
            ),
          ]
        })}
      </tbody>
    </table>
  )
}

function Lights({ data, doc }: { data: Data; doc: Setup }) {
  const list = Object.entries(data.frame.lights)
    .filter(([, c]) => c.ms > 0.0005 || c.mb > 0)
    .sort((a, b) => b[1].ms - a[1].ms)
  return (
    <table className="sheet-table">
      <thead>
        <tr>
          <th>light</th>
          <th>shading</th>
          <th>shadow</th>
          <th>all</th>
          <th>MB</th>
        </tr>
      </thead>
      <tbody>
        {list.map(([id, c]) => (
          <tr key={id}>
            <th scope="row">
              <Button className="word" onClick={() => choose(id)}>
                {doc.lights[id]?.name}
              </Button>
            </th>
            <td>{c.shadeMs.toFixed(2)}</td>
            <td>{c.shadowMs.toFixed(2)}</td>
            <td>{ms(c.ms)}</td>
            <td>{c.mb.toFixed(1)}</td>
          </tr>
        ))}
      </tbody>
    </table>
  )
}

function Groups({ data, doc }: { data: Data; doc: Setup }) {
  const sum: Record<string, number> = {}
  const add = (lights: Record<string, Cost>, to: Record<string, number>) => {
    for (const [id, c] of Object.entries(lights)) {
      const g = doc.lights[id]?.group
      const name = g ? (doc.groups[g]?.name ?? 'no group') : 'no group'
      to[name] = (to[name] ?? 0) + c.ms
    }
    return to
  }
  add(data.frame.lights, sum)
  const was = data.kept ? add(data.kept.lights, {}) : null
  return <Rows rows={[...Object.entries(sum).map(([name, v]) => ({ name, ms: v, was: was?.[name] })), { name: 'without any light', ms: data.frame.ownMs, was: data.kept?.ownMs }]} of={data.frame.limitMs} />
}

function Memory({ data }: { data: Data }) {
  return (
    <table className="sheet-table">
      <tbody>
        {data.frame.memory.map((m) => (
          <tr key={m.name}>
            <th scope="row">{m.name}</th>
            <td>{m.known === 'not known' ? 'not known' : `${m.mb.toFixed(1)} MB`}</td>
            <td className={m.limit > 0 && m.mb > m.limit ? 'over' : 'quiet'}>{m.limit > 0 ? `of ${m.limit} MB${m.mb > m.limit ? ', over' : ''}` : ''}</td>
            <td className="quiet">{m.known}</td>
          </tr>
        ))}
        <tr>
          <th scope="row">all</th>
          <td>{data.frame.mb.toFixed(1)} MB</td>
          <td className={data.frame.mb > data.frame.limitMB ? 'over' : 'quiet'}>of {data.frame.limitMB} MB</td>
          <td className="quiet">{data.frame.unknown.length > 0 ? 'and what is not known' : ''}</td>
        </tr>
      </tbody>
    </table>
  )
}

function Steps({ data }: { data: Data }) {
  return (
    <table className="sheet-table">
      <thead>
        <tr>
          <th>number</th>
          <th>now</th>
          <th>a step lower</th>
          <th>saves</th>
        </tr>
      </thead>
      <tbody>
        {data.steps.map((s) => (
          <tr key={s.name}>
            <th scope="row">{s.name}</th>
            <td>{s.now}</td>
            <td>{s.then}</td>
            <td>
              {ms(s.ms)}
              {s.mb > 0.05 ? `, ${s.mb.toFixed(1)} MB` : ''}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  )
}
