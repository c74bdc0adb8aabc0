import { Button, LinearProgress } from '@mui/material'
import type { BakedAt, Differs, Status } from '../../api.gen'
import { useSetup } from '../../kernel/store'
import { lux } from '../../kernel/units'
import { Tip } from '../../ui/Tip'
import { over, startBake, turnBake, useBake, useBall, useDiffers, useEstimate, useStrengths } from './queries'
import { showBake, useBakeView } from './state'
import { told } from '../../kernel/told'

/** BakeCards are the cards under the picture: the bake at work, what one would take, and how far the run-time picture is from the truth. */
export function BakeCards() {
  const { data } = useBake()
  const ball = useBakeView((s) => s.ball)
  if (!data) return null
  return (
    <div className="cards bake-cards">
      <Work bake={data.bake} changes={data.changes.filter((c) => !c.live).length} last={data.last !== null} />
      <Before qualities={Object.keys(data.qualities)} idle={over(data.bake)} />
      {data.last && <Against bake={data.last.id} />}
      {data.last && ball && <Ball bake={data.last.id} />}
      {data.last && <Strengths />}
    </div>
  )
}

const short = (path: string) => path.split('/').at(-1) ?? path
const time = (s: number) => (s < 90 ? `${Math.round(s)} s` : s < 5400 ? `${(s / 60).toFixed(1)} min` : `${(s / 3600).toFixed(1)} h`)

/** Work is the bake at work, or what the last one came to. */
function Work({ bake, changes, last }: { bake: Status | null; changes: number; last: boolean }) {
  const quality = useBakeView((s) => s.quality)
  const start = (
    <Button variant="outlined" onClick={() => told(startBake(quality))}>
      bake {last && changes > 0 ? 'what changed' : `a ${quality}`}
    </Button>
  )
  if (!bake || over(bake))
    return (
      <section className="card" aria-label="The bake" data-testid="bake-work" data-state={bake?.state ?? 'none'}>
        <div className="card-head">
          <span>{!bake ? 'Nothing is baked yet' : bake.state === 'done' ? `${bake.quality}, ${time(bake.seconds)}` : bake.state === 'stopped' ? 'The bake was stopped; what it made is kept' : 'The bake failed'}</span>
        </div>
        {bake?.state === 'failed' && <p role="alert">{bake.error}</p>}
        {bake?.state === 'done' && bake.made < bake.layers && (
          <p className="quiet">
            {bake.made} of {bake.layers} layers were made anew{bake.whole > 0 ? `, in ${Math.round((100 * bake.seconds) / bake.whole)} % of the ${time(bake.whole)} that all of them took` : ''}.
          </p>
        )}
        <p className="quiet">{changes > 0 ? `${changes} ${changes === 1 ? 'change' : 'changes'} since: only what they touch is made again.` : last ? 'It is as the setup is.' : 'A draft takes half a minute.'}</p>
        {start}
      </section>
    )
  return (
    <section className="card" aria-label="The bake" data-testid="bake-work" data-state={bake.state}>
      <div className="card-head">
        <b>
          {bake.quality}
          {bake.now.length > 0 ? `, ${bake.now.map(short).join(' and ')}` : ''}
        </b>
        <span>{bake.state === 'paused' ? 'paused' : bake.left > 0 ? `${time(bake.left)} left` : bake.stage}</span>
      </div>
      <LinearProgress variant="determinate" value={100 * bake.share} aria-label="Bake done" />
      <p className="quiet">{bake.tiles > 0 ? `${bake.ready} of ${bake.tiles} objects${bake.rate > 0 ? ` · ${Math.round(bake.rate / 1000)} thousand texel samples a second` : ''}` : bake.before > 0 ? `${bake.before} before it in the queue` : 'laying out charts'}</p>
      <p className="made">
        {bake.state === 'paused' ? (
          <Button className="word" onClick={() => told(turnBake('resume'))}>
            go on
          </Button>
        ) : (
          <Button className="word" onClick={() => told(turnBake('pause'))}>
            pause
          </Button>
        )}
        <Button className="word" onClick={() => told(turnBake('stop'))}>
          stop
        </Button>
      </p>
    </section>
  )
}

const order = ['draft', 'review', 'final', 'own']

/** Before tells what a bake takes before it is begun. */
function Before({ qualities, idle }: { qualities: string[]; idle: boolean }) {
  const list = order.filter((q) => qualities.includes(q))
  return (
    <section className="card" aria-label="Before you start">
      <table className="bake-table">
        <thead>
          <tr>
            <th>Before you start</th>
            <th>time</th>
            <th>noise</th>
            <th>memory</th>
          </tr>
        </thead>
        <tbody>
          {list.map((q) => (
            <Guess key={q} quality={q} idle={idle} />
          ))}
        </tbody>
      </table>
    </section>
  )
}

/** Guess is one quality's line; it is asked for when it is chosen. */
function Guess({ quality, idle }: { quality: string; idle: boolean }) {
  const chosen = useBakeView((s) => s.quality) === quality
  const q = useEstimate(quality, chosen && idle)
  const e = q.data
  return (
    <tr className={chosen ? 'chosen' : ''}>
      <th scope="row">
        <Button className="word" aria-pressed={chosen} onClick={() => useBakeView.setState({ quality })}>
          {quality}
        </Button>
      </th>
      {e ? (
        <>
          <td>{time(e.seconds)}</td>
          <td>{(100 * e.noise).toFixed(1)} %</td>
          <td title={`${(e.texels / 1e6).toFixed(2)} million texels on ${e.pages} pages; ${e.layersMB.toFixed(0)} MB of layers here`}>{e.mb.toFixed(1)} MB</td>
        </>
      ) : (
        <td colSpan={3} className="quiet">
          {q.isFetching ? 'timing a sample …' : q.isError ? 'not to be had now' : idle ? 'choose it to know' : 'after this bake'}
        </td>
      )}
    </tr>
  )
}

const reasons: [string, string, string][] = [
  ['texel', 'texel too large', 'Lightmap: texels larger than the detail of the light, or what a map leaves out'],
  ['probe', 'probe too far', 'What probes light: movers, and what is too small for the map'],
  ['shadow', 'shadow map coarse', 'Direct light that comes through shadow maps'],
  ['mirror', 'mirror wrong', 'What is mirrored, from reflection probes'],
]

/** Against is how the run-time picture differs from the reference here, and why. */
function Against({ bake }: { bake: number }) {
  const q = useDiffers(bake)
  const d: Differs | null | undefined = q.data
  const show = useBakeView((s) => s.show)
  return (
    <section className="card" aria-label="Against the reference here" data-testid="bake-against">
      <div className="card-head">
        <Tip title="CIEDE2000 between what both show, on average: about 1 is just seen side by side">
          <b>Against the reference here</b>
        </Tip>
        <span>{d ? d.mean.toFixed(1) : '…'}</span>
      </div>
      {d ? (
        reasons.map(([id, name, says]) => (
          <div key={id} className="bake-reason">
            <Tip title={says}>
              <span>{name}</span>
            </Tip>
            <span className="bar">
              <span style={{ width: `${Math.min(100, (100 * (d.by[id] ?? 0)) / Math.max(d.mean, 0.01))}%` }} />
            </span>
            <span>{(d.by[id] ?? 0).toFixed(1)}</span>
          </div>
        ))
      ) : (
        <p className="quiet">{q.isError ? 'It cannot be told now.' : 'drawing the run-time picture …'}</p>
      )}
      <p className="made">
        {(['runtime', 'difference'] as const).map((s) => (
          <Button key={s} className="word" aria-pressed={show === s} onClick={() => showBake(s)}>
            {s === 'runtime' ? 'run-time picture' : 'difference'}
          </Button>
        ))}
      </p>
    </section>
  )
}

const y = (c: readonly number[]) => 0.2126 * (c[0] ?? 0) + 0.7152 * (c[1] ?? 0) + 0.0722 * (c[2] ?? 0)
const sides = ['east', 'west', 'above', 'below', 'south', 'north']

/** Ball is what a mover would get where the ball is, beside the truth. */
function Ball({ bake }: { bake: number }) {
  const ball = useBakeView((s) => s.ball)
  const q = useBall(bake, ball)
  const b: BakedAt | undefined = q.data
  return (
    <section className="card" aria-label="Probe ball" data-testid="bake-ball" data-told={b ? 'yes' : 'no'}>
      <div className="card-head">
        <b>Probe ball</b>
        <span>{b ? `differs by ${Math.round(100 * b.differs)} %` : '…'}</span>
        <Button className="word" onClick={() => useBakeView.setState({ ball: null })}>
          away
        </Button>
      </div>
      {b && (
        <table className="bake-table">
          <thead>
            <tr>
              <th>from</th>
              <th>by probes</th>
              <th>true</th>
            </tr>
          </thead>
          <tbody>
            {sides.map((s, i) => (
              <tr key={s}>
                <th scope="row">{s}</th>
                <td>{lux(y(b.lux[i] ?? []))}</td>
                <td>{lux(y(b.reference[i] ?? []))}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {q.isError && <p className="quiet">It cannot be told now.</p>}
    </section>
  )
}

/** Strengths shows what lights give here before the bake and after it: bounce fills the room. */
function Strengths() {
  const { data } = useStrengths()
  const lights = useSetup((s) => s.doc?.lights)
  const list = [...(data ?? [])].filter((g) => g.after > 0.01).sort((a, b) => b.after - a.after)
  if (list.length === 0) return null
  return (
    <section className="card" aria-label="Before and after the bake">
      <div className="card-head">
        <Tip title="Shares of what lights this view: direct light alone, as before a bake, and with what bounces">
          <b>Before and after the bake</b>
        </Tip>
      </div>
      {list.slice(0, 5).map((g) => (
        <div key={g.light} className="bake-reason">
          <span>{lights?.[g.light]?.name ?? g.light}</span>
          <span className="bar">
            <span style={{ width: `${100 * g.before}%` }} />
            <span className="more" style={{ width: `${100 * (g.after - g.before)}%` }} />
          </span>
          <span>
            {(100 * g.before).toFixed(0)} → {(100 * g.after).toFixed(0)} %
          </span>
        </div>
      ))}
    </section>
  )
}
