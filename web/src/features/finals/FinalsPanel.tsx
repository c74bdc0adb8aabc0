import { Button, LinearProgress } from '@mui/material'
import type { FinalStatus, InQueue, Overview, Setup } from '../../api.gen'
import { useSetup } from '../../kernel/store'
import { when } from '../../kernel/when'
import { workerName } from '../../kernel/workers'
import { Tip } from '../../ui/Tip'
import { AskPart } from './AskPart'
import { allOf, fileOf, over, turnFinals, useFinals, useQueue } from './queries'

/** FinalsPanel asks for final frames, shows those that are made, and the queue of all that is long work. */
export function FinalsPanel() {
  const id = useSetup((s) => s.id)
  const doc = useSetup((s) => s.doc)
  const view = useSetup((s) => s.view)
  const { data } = useFinals()
  const queue = useQueue()
  if (!doc || id === null) return null
  return (
    <div className="panel-body finals">
      <AskPart id={id} doc={doc} view={view} state={data} />
      <ul aria-label="Final frames">
        {data?.orders.map((o) => (
          <One key={o.id} id={id} doc={doc} o={o} />
        ))}
        {data?.orders.length === 0 && <li className="quiet">A final frame is the mean of several passes, made by whoever works the queue: this server, and any other machine that takes part. You can go on lighting meanwhile; it is made of the setup as it stands now.</li>}
      </ul>
      {queue.data && <Queue data={queue.data} />}
    </div>
  )
}

/** timeOf says seconds in words. */
export const timeOf = (s: number) => (s < 90 ? `${Math.round(s)} s` : s < 5400 ? `${Math.round(s / 60)} min` : `${(s / 3600).toFixed(1)} h`)

/** nameOf says what an order's frames are of. */
function nameOf(doc: Setup, o: FinalStatus) {
  const names = o.wanted.views.map((v) => doc.views[v]?.name ?? v).join(' to ')
  return o.wanted.camera || names
}

const states: Record<string, string> = { waiting: 'waits', working: 'at work', paused: 'pauses', stopped: 'stopped', failed: 'failed', done: 'done' }

function One({ id, doc, o }: { id: number; doc: Setup; o: FinalStatus }) {
  const name = nameOf(doc, o)
  const single = o.frames === 1
  const worst = Math.max(...o.made.map((m) => m.error), 0)
  const turn = (how: 'pause' | 'resume' | 'stop' | 'remove') => () => void turnFinals(id, o, how)
  return (
    <li className="final" data-final={o.id} data-state={o.state}>
      <p>
        <b>{name}</b>{' '}
        <span className="quiet">
          {o.wanted.width} × {o.wanted.height}
          {single ? '' : ` · ${o.frames} frames, ${o.wanted.seconds} s`} · {o.wanted.samples === 1 ? '1 sample' : `${o.wanted.samples} samples`} · {when(o.asked)}
        </span>
      </p>
      {!over(o) && <LinearProgress variant="determinate" aria-label={`${name}: share that is done`} value={(100 * o.ready) / Math.max(o.tiles, 1)} />}
      <p className="quiet">
        {states[o.state]}
        {over(o) ? '' : `: ${o.ready} of ${o.tiles} tiles`}
        {o.left > 0 ? `, about ${timeOf(o.left)} left` : ''}
        {o.state === 'done' ? ` in ${timeOf(o.seconds)}` : ''}
        {worst > 0 && (
          <Tip title="Of what is shown, found from how the passes differ">
            <span> · error {(100 * worst).toFixed(1)} %</span>
          </Tip>
        )}
        {o.error && <span className="bad"> {o.error}</span>}
      </p>
      {o.made.length > 0 && (
        <div className="final-strip">
          {o.made.slice(0, 60).map((m) => (
            <a key={m.frame} href={fileOf(id, o, m.frame, 'png')} target="_blank" rel="noreferrer">
              <img alt={`${name}, frame ${m.frame + 1}`} loading="lazy" src={`${fileOf(id, o, m.frame, 'small')}?passes=${m.passes}`} />
            </a>
          ))}
        </div>
      )}
      <p className="actions">
        {o.made.length > 0 &&
          (['png', 'exr'] as const).map((k) => (
            <Button key={k} component="a" className="word" href={single ? `${fileOf(id, o, 0, k)}?save=1` : allOf(id, o, k)} download>
              {single ? k.toUpperCase() : `all as ${k.toUpperCase()}`}
            </Button>
          ))}
        {(o.state === 'waiting' || o.state === 'working') && (
          <Button className="word" onClick={turn('pause')}>
            pause
          </Button>
        )}
        {o.state === 'paused' && (
          <Button className="word" onClick={turn('resume')}>
            go on
          </Button>
        )}
        {!over(o) && (
          <Button className="word" onClick={turn('stop')}>
            stop
          </Button>
        )}
        {over(o) && (
          <Button className="word" onClick={turn('remove')}>
            remove
          </Button>
        )}
      </p>
    </li>
  )
}

const rated = (w: { rate: number }) => (w.rate > 0 ? ` · ${w.rate >= 1e6 ? `${(w.rate / 1e6).toFixed(1)} M` : `${Math.round(w.rate / 1000)} k`} samples a second` : '')

/** Queue is all long work of this server, and who does it. */
function Queue({ data }: { data: Overview }) {
  return (
    <section aria-label="The queue" className="queue">
      <h3>The queue</h3>
      <ul aria-label="What waits and is worked at">
        {data.queue.map((q) => (
          <Row key={`${q.what} ${q.id}`} q={q} />
        ))}
        {data.queue.length === 0 && <li className="quiet">Nothing waits.</li>}
      </ul>
      <h3>Who works it</h3>
      <ul aria-label="Workers">
        {data.workers.map((w) => (
          <li key={w.name}>
            <b>{workerName(w)}</b>
            <span className="quiet">
              {w.kind} · {w.lost ? 'no sign of life' : w.doing ? `at ${w.doing}` : 'waits'}
              {rated(w)}
            </span>
          </li>
        ))}
      </ul>
    </section>
  )
}

function Row({ q }: { q: InQueue }) {
  return (
    <li data-queued={`${q.what} ${q.id}`}>
      <b>{q.name}</b>
      <span className="quiet">
        {q.what === 'bake' ? `bake, ${q.quality}` : 'final frames'} · {states[q.state]}
        {q.tiles > 0 ? ` · ${q.ready} of ${q.tiles} ${q.what === 'bake' ? 'objects' : 'tiles'}` : ''} · asked {timeOf(q.asked)} ago
      </span>
    </li>
  )
}
