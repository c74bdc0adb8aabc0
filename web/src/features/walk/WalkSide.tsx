import { Button, MenuItem, Select } from '@mui/material'
import type { Setup, Step, Walked } from '../../api.gen'
import { choose, useLook } from '../../kernel/look'
import { useSetup } from '../../kernel/store'
import { Tip } from '../../ui/Tip'
import { figure5, lx, st } from './heat'
import { DrawMap } from './DrawMap'
import { LevelPart } from './LevelPart'
import { PlanMap } from './PlanMap'
import { startWalk, useWalk } from './queries'
import { RoutePart } from './RoutePart'
import { addRoute } from './routeEdits'
import { SavingsPart } from './SavingsPart'
import { play, routeIds, routeNow, stand, stop, useRoute, type Heat } from './state'
import { told } from '../../kernel/told'
import { Working } from './Working'

const heats: Record<Heat, string> = { lux: 'light', ms: 'cost', figure: 'figure', left: 'exposure' }

/** WalkSide is the step's side: the route as a plan, where one stands, what was found, and what could be saved. */
export function WalkSide() {
  const doc = useSetup((s) => s.doc)
  useRoute((s) => s.route)
  const draws = useRoute((s) => s.draws)
  const { data } = useWalk()
  const revision = useSetup((s) => s.revision)
  if (!doc) return <section className="air" aria-label="Walk" />
  const id = routeNow()
  const r = doc.routes?.[id]
  const w = data?.walked
  const working = data?.task.state === 'working'
  return (
    <section className="air walk" aria-label="Walk">
      <div className="air-part" role="group" aria-label="Route">
        <div className="air-head">
          {routeIds(doc.routes ?? {}).length > 1 ? (
            <Select size="small" variant="standard" value={id} inputProps={{ 'aria-label': 'Route' }} onChange={(e) => useRoute.setState({ route: e.target.value, step: -1 })}>
              {routeIds(doc.routes ?? {}).map((k) => (
                <MenuItem key={k} value={k}>
                  {doc.routes?.[k]?.name}
                </MenuItem>
              ))}
            </Select>
          ) : (
            <h2>{r?.name ?? 'No route yet'}</h2>
          )}
          {w && (
            <span className="quiet">
              {Math.round(w.metres)} m · {Math.floor(w.seconds / 60) > 0 ? `${Math.floor(w.seconds / 60)} min ` : ''}
              {Math.round(w.seconds % 60)} s
            </span>
          )}
        </div>
        {!r && (
          <>
            <p className="quiet">A route is the way that is played: over stops on the ground, by the shortest way on foot.</p>
            <Button variant="outlined" onClick={addRoute}>
              a route from here
            </Button>
          </>
        )}
        {r && draws && !r.camera ? <DrawMap id={id} r={r} w={w ?? null} /> : w && w.steps.length > 0 && <PlanMap w={w} />}
        {r && (
          <p className="made">
            <Button className="word" disabled={working} onClick={() => told(startWalk(id))}>
              {w ? 'walk again' : 'walk it'}
            </Button>
            {w && <PlayButton w={w} />}
            {w &&
              (Object.keys(heats) as Heat[]).map((h) => (
                <HeatButton key={h} heat={h} />
              ))}
            {!r.camera && (
              <Tip title="Draw the stops on the plan">
                <Button className="word" aria-pressed={draws} onClick={() => useRoute.setState({ draws: !draws })}>
                  stops
                </Button>
              </Tip>
            )}
          </p>
        )}
        {working && <Working share={data.task.share} says="Share of the route that is walked" />}
        {data?.task.state === 'failed' && <p role="alert">{data.task.error}</p>}
        {w && !working && data.task.revision < revision && <p className="quiet">The setup has changed since it was walked.</p>}
      </div>
      {w && <Here w={w} doc={doc} />}
      {w && <FoundPart w={w} doc={doc} />}
      <SavingsPart doc={doc} />
      <LevelPart />
      {r && <RoutePart id={id} r={r} />}
    </section>
  )
}

function HeatButton({ heat }: { heat: Heat }) {
  const now = useRoute((s) => s.heat === heat && !s.draws)
  return (
    <Button className="word" aria-pressed={now} onClick={() => useRoute.setState({ heat, draws: false })}>
      {heats[heat]}
    </Button>
  )
}

function PlayButton({ w }: { w: Walked }) {
  const playing = useRoute((s) => s.playing)
  return (
    <Tip title="Walk it in the picture, as a player would">
      <Button className="word" aria-pressed={playing} onClick={() => (playing ? stop() : play(w))}>
        {playing ? 'stop' : 'go'}
      </Button>
    </Tip>
  )
}

/** Here is the step that is stood on. */
function Here({ w, doc }: { w: Walked; doc: Setup }) {
  const step = useRoute((s) => s.step)
  const on = useLook((s) => s.onRoute)
  const s = w.steps[step]
  if (!s) return null
  if (!on)
    return (
      <p className="made" data-testid="left-route">
        The eye has left the route at {Math.round(s.metres)} m{s.stop ? `, ${s.stop}` : ''}:{' '}
        <Button className="word" onClick={() => stand(w, step)}>
          back to it
        </Button>
      </p>
    )
  const f = figure5(s)
  return (
    <div className="air-part" role="group" aria-label="Here">
      <div className="air-head">
        <h2>Here</h2>
        <span className="quiet">
          {Math.round(s.metres)} m{s.stop ? `, ${s.stop}` : ''}
        </span>
      </div>
      <Bar says="figure at 5 m" share={f.seen ? Math.abs(f.stops) / 4 : 0} value={f.seen ? st(f.stops) : 'not seen'} tip="How far a figure 5 m ahead on the way stands over what is behind it, as it is shown" />
      <Bar says="path ahead" share={s.hasPath ? Math.abs(s.path) / 4 : 0} value={s.hasPath ? st(s.path) : 'not seen'} tip="How far the ground of the way stands over the walls" />
      {s.exit.exit >= 0 && <Bar says={`exit in ${Math.round(s.exit.metres)} m`} share={s.exit.seen ? Math.abs(s.exit.stops) / 4 : 0} value={s.exit.seen ? st(s.exit.stops) : 'not seen'} tip="How far what is seen through the next exit on the way stands over the wall about it" />}
      <Bar says="light at the eye" share={(Math.log10(Math.max(s.lux, 1e-4)) + 2) / 5} value={lx(s.lux)} tip="On a surface that faces ahead, without the lamps that are carried" />
      <Bar says="exposure" share={1 - Math.min(Math.abs(s.left) / 4, 1)} value={`${st(s.left)} left`} tip={`EV ${s.ev.toFixed(1)}; what is metered asks for ${s.wanted.toFixed(1)}`} />
      <Bar says="cost" share={s.ms / (w.limitMs * 1.2)} value={`${s.ms.toFixed(2)} ms`} tip={`Most of it is ${doc.lights[s.worst]?.name ?? 'no light'}: ${s.worstMs.toFixed(2)} ms`} />
      {doc.lights[s.worst] && (
        <p className="made">
          costs most here:{' '}
          <Button className="word" onClick={() => choose(s.worst)}>
            {doc.lights[s.worst]?.name}
          </Button>
          {s.worstMs.toFixed(2)} ms
        </p>
      )}
    </div>
  )
}

function Bar({ says, share, value, tip }: { says: string; share: number; value: string; tip: string }) {
  return (
    <Tip title={tip}>
      <div className="walk-bar">
        <span>{says}</span>
        <span className="track">
          <i style={{ width: `${100 * Math.min(Math.max(share, 0), 1)}%` }} />
        </span>
        <span className="value">{value}</span>
      </div>
    </Tip>
  )
}

/** FoundPart lists the parts of the way that break a rule; a click stands at the worst step. */
function FoundPart({ w, doc }: { w: Walked; doc: Setup }) {
  const step = useRoute((s) => s.step)
  const dear = w.steps[w.worst] as Step | undefined
  return (
    <div className="air-part" role="group" aria-label="Found on the way">
      <div className="air-head">
        <h2>Found on the way</h2>
        <span className="quiet">{w.found.length}</span>
      </div>
      <ul className="walk-found">
        {w.found.map((f) => (
          <li key={`${f.kind} ${f.from}`} data-found={f.kind} className={step === f.step ? 'chosen' : ''}>
            <Button className="row" onClick={() => stand(w, f.step)}>
              <span>
                {f.what}
                <span className="quiet">
                  {' '}
                  {f.to - f.from < 0.5 ? `at ${f.from.toFixed(0)} m` : `${f.from.toFixed(0)} to ${f.to.toFixed(0)} m`}
                  {f.light && doc.lights[f.light] ? ` · ${doc.lights[f.light]?.name}` : ''}
                </span>
              </span>
              <span>{f.number.replace('-', '−')}</span>
            </Button>
          </li>
        ))}
        {w.found.length === 0 && <li className="quiet">Every rule is kept, all the way.</li>}
      </ul>
      {dear && (
        <p className="made">
          <Button className="word" onClick={() => stand(w, w.worst)}>
            the dearest step
          </Button>
          {dear.ms.toFixed(2)} ms at {Math.round(dear.metres)} m
        </p>
      )}
    </div>
  )
}
