import { Button } from '@mui/material'
import { useState } from 'react'
import type { Level, Standing } from '../../api.gen'
import { moveCamera, cameraNow } from '../../kernel/look'
import { useSetup } from '../../kernel/store'
import { scaleCss } from '../../picture/palette'
import { Choice } from '../../ui/Choice'
import { lx } from './heat'
import { Legend } from './Legend'
import { startSurvey, useSurvey } from './queries'
import { routeNow } from './state'
import { told } from '../../kernel/told'
import { Working } from './Working'

type Measure = 'floor' | 'eye' | 'lights' | 'shadows' | 'ms' | 'wrong'
const measures: { value: Measure; words: string; says: string }[] = [
  { value: 'floor', words: 'floor', says: 'Illuminance of the ground, from above' },
  { value: 'eye', words: 'eye', says: 'Illuminance at eye height, the mean of four sides' },
  { value: 'lights', words: 'lights', says: 'Live lights that reach a place' },
  { value: 'shadows', words: 'shadows', says: 'Of them, those with live shadow maps' },
  { value: 'ms', words: 'cost', says: 'Of the frame, looking to the dearest of four sides' },
]

/** Of the last bake's probes, where there are any. */
const ofProbes: { value: Measure; words: string; says: string } = { value: 'wrong', words: 'probes', says: 'By how much the probes of the last bake are wrong at eye height, of the baked light that arrives' }

const log = (v: number) => Math.min(Math.max((Math.log10(Math.max(v, 1e-6)) - Math.log10(0.05)) / 4, 0), 1)

/** at is a spot's place on the scale, with the scale's ends in words. */
function scaleOf(l: Level, m: Measure): { at: (s: Standing) => number; low: string; high: string; say: (s: Standing) => string } {
  const most = Math.max(1, ...l.spots.map((s) => (m === 'shadows' ? s.shadows : s.lights)))
  switch (m) {
    case 'floor':
      return { at: (s) => log(s.floor), low: '0.05 lx', high: '500 lx on the floor', say: (s) => lx(s.floor) }
    case 'eye':
      return { at: (s) => log(s.eye), low: '0.05 lx', high: '500 lx at the eye', say: (s) => lx(s.eye) }
    case 'lights':
      return { at: (s) => s.lights / most, low: 'none', high: `${most} lights overlap`, say: (s) => `${s.lights} lights` }
    case 'shadows':
      return { at: (s) => s.shadows / most, low: 'none', high: `${most} live shadows overlap`, say: (s) => `${s.shadows} shadows` }
    case 'ms':
      return { at: (s) => Math.min(Math.max(s.ms / l.limitMs - 0.4, 0) / 0.8, 1), low: `${(0.4 * l.limitMs).toFixed(1)} ms`, high: `${(1.2 * l.limitMs).toFixed(1)} ms`, say: (s) => `${s.ms.toFixed(2)} ms` }
    case 'wrong':
      return { at: (s) => Math.min(Math.max(s.wrong, 0) / 0.5, 1), low: '0 %', high: 'wrong by 50 % and more', say: (s) => (s.wrong < 0 ? 'not known' : `${Math.round(100 * s.wrong)} %`) }
  }
}

/** LevelPart is all of the level that can be walked, seen from above: light, lights that overlap, cost. */
export function LevelPart() {
  const { data } = useSurvey()
  const revision = useSetup((s) => s.revision)
  const [m, setM] = useState<Measure>('floor')
  const working = data?.task.state === 'working'
  const l = data?.level
  const shown = m === 'wrong' && !l?.probes ? 'floor' : m
  return (
    <div className="air-part" role="group" aria-label="The level">
      <div className="air-head">
        <h2>The level</h2>
        {l && (
          <span className="quiet">
            {l.spots.length} places, {l.cell.toFixed(2)} m apart
          </span>
        )}
      </div>
      {l && <LevelMap l={l} m={shown} />}
      {l && <Choice label="The level is coloured by" value={shown} change={setM} options={l.probes ? [...measures, ofProbes] : measures} />}
      {working && <Working share={data.task.share} says="Share of the level that is surveyed" />}
      {data?.task.state === 'failed' && <p role="alert">{data.task.error}</p>}
      {l && !working && data.task.revision < revision && <p className="quiet">The setup has changed since.</p>}
      <p className="made">
        <Button className="word" disabled={working} onClick={() => told(startSurvey(routeNow()))}>
          {l ? 'survey it again' : 'survey all that can be walked'}
        </Button>
      </p>
    </div>
  )
}

function LevelMap({ l, m }: { l: Level; m: Measure }) {
  const scale = scaleOf(l, m)
  const xs = l.spots.map((s) => s.at[0])
  const zs = l.spots.map((s) => s.at[2])
  const x = Math.min(...xs) - 1
  const z = Math.min(...zs) - 1
  const w = Math.max(...xs) + 1 - x
  const h = Math.max(...zs) + 1 - z
  const go = (s: Standing) => {
    const c = cameraNow()
    if (c) moveCamera({ ...c, eye: [s.at[0], s.at[1] + 1.6, s.at[2]], aim: [c.aim[0], 0, c.aim[2]], roll: 0 }, false)
  }
  return (
    <>
      <svg className="walk-plan" viewBox={`${x} ${z} ${w} ${h}`} role="img" aria-label="Plan of the level" data-testid="level-plan">
        {[...l.spots]
          .sort((a, b) => a.at[1] - b.at[1])
          .map((s) => (
            <rect key={s.at.join()} x={s.at[0] - l.cell / 2} y={s.at[2] - l.cell / 2} width={l.cell * 1.04} height={l.cell * 1.04} fill={scaleCss(scale.at(s))} onClick={() => go(s)}>
              <title>{scale.say(s)}</title>
            </rect>
          ))}
        {l.walls.filter((q) => Math.hypot(q[2] - q[0], q[3] - q[1]) > 0.3).map((q, i) => (
          <line key={i} x1={q[0]} y1={q[1]} x2={q[2]} y2={q[3]} className="wall" strokeWidth={w / 400} />
        ))}
      </svg>
      <Legend low={scale.low} high={scale.high} />
    </>
  )
}
