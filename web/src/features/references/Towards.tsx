import { Button } from '@mui/material'
import { useQuery } from '@tanstack/react-query'
import type { Measure, Proposal } from '../../api.gen'
import { api } from '../../kernel/client'
import { edit, useSetup, type Op } from '../../kernel/store'

/** Towards measures the view's picture beside the chosen reference, and lists what would bring it nearer, to be taken line by line. */
export function Towards({ reference }: { reference: string }) {
  const id = useSetup((s) => s.id)
  const view = useSetup((s) => s.view)
  const revision = useSetup((s) => s.revision)
  const pending = useSetup((s) => s.pending.length)
  const drawn = useSetup((s) => s.thumbs[s.view]?.samples ?? 0)
  const q = useQuery({ queryKey: ['towards', id, view, reference, revision, drawn], queryFn: () => api.towards(id ?? 0, { view, reference }), enabled: id !== null && pending === 0, placeholderData: (p) => p, refetchInterval: (x) => (x.state.data?.ready === false ? 1000 : false) })
  const a = q.data
  if (!a?.ready) return <p className="quiet">being measured …</p>
  return (
    <div className="towards">
      <table>
        <thead>
          <tr>
            <th scope="col">
              <span className="hidden">measure</span>
            </th>
            <th scope="col">picture</th>
            {a.then && <th scope="col">reference</th>}
          </tr>
        </thead>
        <tbody>
          {rows.map(([name, of]) => (
            <tr key={name}>
              <th scope="row">{name}</th>
              <td>{of(a.now)}</td>
              {a.then && <td>{of(a.then)}</td>}
            </tr>
          ))}
        </tbody>
      </table>
      <Tones label="Palette of the picture" m={a.now} />
      {a.then && <Tones label="Palette of the reference" m={a.then} />}
      <Histogram now={a.now} then={a.then} />
      {a.then && <Proposals list={a.proposals} old={q.isPlaceholderData} />}
    </div>
  )
}

const kelvin = (k: number) => `${Math.round(k / 10) * 10} K`

const rows: [string, (m: Measure) => string][] = [
  ['Key', (m) => m.key.toFixed(2)],
  ['Contrast', (m) => `${m.contrast.toFixed(1)} st`],
  ['Lights', (m) => kelvin(m.lights)],
  ['Shadows', (m) => kelvin(m.shadows)],
  ['Chroma', (m) => m.saturation.toFixed(0)],
  ['Light', (m) => m.fromWords],
]

/** Tones are a palette, each colour as wide as it is large. */
function Tones({ label, m }: { label: string; m: Measure }) {
  return (
    <div className="tones" role="img" aria-label={label}>
      {m.palette.map((t) => (
        <span key={t.hex} style={{ background: t.hex, flexGrow: t.share }} />
      ))}
    </div>
  )
}

/** Histogram is the shares of the stops under white, of both. */
function Histogram({ now, then }: { now: Measure; then: Measure | undefined }) {
  const most = Math.max(...now.histogram, ...(then?.histogram ?? []), 0.01)
  const line = (m: Measure) => m.histogram.map((v, i) => `${i ? 'L' : 'M'}${((100 * i) / (m.histogram.length - 1)).toFixed(1)} ${(30 - (29 * v) / most).toFixed(1)}`).join(' ')
  return (
    <figure className="walk-plot">
      <svg viewBox="0 0 100 30" preserveAspectRatio="none" role="img" aria-label="Shares of the picture from ten stops under white up to it">
        <path className="wanted" d={line(now)} />
        {then && <path className="adapted" d={line(then)} />}
      </svg>
      <p className="quiet">
        ten stops under white, up to it: <i className="key wanted" /> picture {then && <i className="key adapted" />} {then && 'reference'}
      </p>
    </figure>
  )
}

/** Proposals are what would bring the picture nearer, each with what it would change. */
function Proposals({ list, old }: { list: Proposal[]; old: boolean }) {
  return (
    <div role="group" aria-label="Towards the reference">
      <h2>Towards the reference</h2>
      {list.length === 0 && <p className="quiet">The measures are together.</p>}
      <ul className="balance">
        {list.map((p) => (
          <li key={p.what}>
            <span>
              <b>{p.what}</b> {p.by} <span className="quiet">{p.would}</span>
            </span>
            <Button className="word" disabled={old} aria-label={`Take ${p.what}`} onClick={() => edit(`Towards the reference: ${p.what} ${p.by}`, p.ops as unknown as Op[])}>
              take
            </Button>
          </li>
        ))}
      </ul>
    </div>
  )
}
