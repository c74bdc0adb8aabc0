import { Button } from '@mui/material'
import { useState } from 'react'
import type { Result, Saving, Setup, ViewCost, Walked } from '../../api.gen'
import { api } from '../../kernel/client'
import { compareWith } from '../../kernel/comparison'
import { useDevice } from '../../kernel/queries'
import { edit, flush, useSetup, type Op } from '../../kernel/store'
import { queryClient } from '../../kernel/queryClient'
import { NumberField } from '../../ui/NumberField'
import { Tip } from '../../ui/Tip'
import { startSavings, useSavings, useWalk } from './queries'
import { routeNow, stand } from './state'
import { told } from '../../kernel/told'
import { Working } from './Working'

const mean = (v: number[]) => v.reduce((a, b) => a + b, 0) / Math.max(v.length, 1)

/** dearest is the frame that costs most as things are. */
const dearest = (r: Result) => [...r.views].sort((a, b) => b.beforeMs - a.beforeMs)[0]

/** stepOf is the step of the walk that a frame is of; undefined for views, and for another route's. */
const stepOf = (v: ViewCost | undefined, w: Walked | null | undefined) => (v && w && v.id === `${w.name}:${v.step}` && w.steps[v.step] ? v.step : undefined)

/** take makes the chosen changes as one edit, and shows the picture before and after beside one another, of a route at its dearest step. */
async function take(r: Result, walked: Walked | null | undefined) {
  const { id, view } = useSetup.getState()
  if (id === null) return
  const kept = await api.keep(id, { name: 'Before the savings', view })
  void queryClient.invalidateQueries({ queryKey: ['snapshots'] })
  edit(`Savings: ${r.chosen.length} ${r.chosen.length === 1 ? 'change' : 'changes'}`, r.ops as Op[])
  await flush()
  const step = stepOf(dearest(r), walked)
  if (walked && step !== undefined) stand(walked, step)
  await compareWith(id, kept.id)
}

/** SavingsPart are the changes that bring views under a limit, with what each saves and how much of it is seen. */
export function SavingsPart({ doc }: { doc: Setup }) {
  const device = useDevice()
  const view = useSetup((s) => s.view)
  const revision = useSetup((s) => s.revision)
  const { data } = useSavings()
  const [limit, setLimit] = useState<number | null>(null)
  const [all, setAll] = useState(false)
  const at = limit ?? device?.limits.ms ?? 1
  const working = data?.task.state === 'working'
  const r = data?.result
  const begin = (views: string[], route = '') => () => told(startSavings({ views, limit: at, route }))
  const way = doc.routes?.[routeNow()]
  return (
    <div className="air-part" role="group" aria-label="Savings">
      <div className="air-head">
        <h2>Savings</h2>
        <span className="quiet">{r ? `to ${r.limitMs.toFixed(2)} ms: ${r.chosen.length} of ${r.changes.length} changes` : ''}</span>
      </div>
      <div className="air-row">
        <span className="label">each frame under</span>
        <NumberField label="Limit of the frame" value={at} unit="ms" min={0.1} max={1000} step={0.1} show={(v) => v.toFixed(2)} onDraft={setLimit} onDone={setLimit} onReset={() => setLimit(null)} />
      </div>
      <p className="made">
        <Button className="word" disabled={working} onClick={begin([])}>
          look in all views
        </Button>
        <Button className="word" disabled={working} onClick={begin([view])}>
          in {doc.views[view]?.name}
        </Button>
        {way && (
          <Button className="word" disabled={working} onClick={begin([], routeNow())}>
            along the route
          </Button>
        )}
      </p>
      {working && <Working share={data.task.share} says="Share of the savings that is measured" />}
      {data?.task.state === 'failed' && <p role="alert">{data.task.error}</p>}
      {r && !working && <List r={r} all={all} />}
      {r && !working && r.changes.length > shownAtFirst && (
        <Button className="word" onClick={() => setAll(!all)}>
          {all ? 'fewer' : `${r.changes.length - Math.max(shownAtFirst, r.chosen.length)} more`}
        </Button>
      )}
      {r && !working && <Outcome r={r} doc={doc} stale={data.task.revision < revision} />}
    </div>
  )
}

const shownAtFirst = 6

function List({ r, all }: { r: Result; all: boolean }) {
  const list = all ? r.changes : r.changes.slice(0, Math.max(shownAtFirst, r.chosen.length))
  return (
    <table className="walk-savings">
      <thead>
        <tr>
          <th>change</th>
          <th>saves</th>
          <th>
            <Tip title="Difference of the finished picture, CIEDE2000: 1 is just noticed where it is everywhere">
              <span>seen</span>
            </Tip>
          </th>
        </tr>
      </thead>
      <tbody>
        {list.map((c) => (
          <Row key={c.what} c={c} />
        ))}
      </tbody>
    </table>
  )
}

function Row({ c }: { c: Saving }) {
  return (
    <tr className={c.chosen ? 'chosen' : ''} data-saving={c.what}>
      <th scope="row" title={`Measured by ${c.by}`}>
        {c.what}
      </th>
      <td>
        {c.rebake ? (
          <Tip title="Of memory, after a new bake">
            <span>{c.savedMB.toFixed(1)} MB</span>
          </Tip>
        ) : (
          `${Math.max(...c.savedMs).toFixed(2)} ms`
        )}
      </td>
      <td>{mean(c.loss).toFixed(2)}</td>
    </tr>
  )
}

function Outcome({ r, doc, stale }: { r: Result; doc: Setup; stale: boolean }) {
  const walked = useWalk().data?.walked
  const worst = dearest(r)
  const step = stepOf(worst, walked)
  const memory = r.shortMB > 0 ? ` Memory stays ${r.shortMB.toFixed(1)} MB over its limits.` : ''
  if (r.chosen.length === 0)
    return (
      <p className="quiet">
        {r.reached ? 'Every frame is under the limit already.' : 'No change saves anything here.'}
        {memory}
      </p>
    )
  return (
    <>
      <p className="quiet">
        {walked && step !== undefined ? (
          <Button className="word" onClick={() => stand(walked, step)}>
            {worst?.name}
          </Button>
        ) : (
          worst && (doc.views[worst.id]?.name ?? worst.name)
        )}
        {worst ? `: ${worst.beforeMs.toFixed(2)} to ${worst.afterMs.toFixed(2)} ms; ` : ''}
        {r.reached ? (r.added > r.bound + 1e-6 ? `nothing loses less by more than ${(r.added - r.bound).toFixed(2)}.` : 'no other set loses less, added up.') : `the worst stays ${r.shortMs.toFixed(2)} ms over.`} All together is seen as {r.loss.toFixed(2)}.{r.others > 0 ? ` The other ${r.others} frames were counted, too.` : ''}
        {memory}
        {r.changes.some((c) => c.chosen && c.rebake) ? ' What is baked takes less only after a new bake.' : ''}
      </p>
      <Button variant="outlined" disabled={stale} onClick={() => told(take(r, walked))}>
        take {r.chosen.length === 1 ? 'it' : 'them'} and compare
      </Button>
      {stale && <p className="quiet">The setup has changed since; look again.</p>}
    </>
  )
}

