import type { MouseEvent } from 'react'
import type { Step, Walked } from '../../api.gen'
import { useLook } from '../../kernel/look'
import { scaleCss } from '../../picture/palette'
import { scales } from './heat'
import { Legend } from './Legend'
import { stand, useRoute } from './state'

const margin = 3

/** extent is the box of the way, with a margin, in metres. */
function extent(steps: Step[]) {
  const xs = steps.map((s) => s.at[0])
  const zs = steps.map((s) => s.at[2])
  const x = Math.min(...xs) - margin
  const z = Math.min(...zs) - margin
  return { x, z, w: Math.max(...xs) + margin - x, h: Math.max(...zs) + margin - z }
}

/** PlanMap is the route seen from above, coloured by what was found; a click stands there. */
export function PlanMap({ w }: { w: Walked }) {
  const { step, heat } = useRoute()
  const scale = scales(w.limitMs)[heat]
  const b = extent(w.steps)
  const on = useLook((s) => s.onRoute)
  const here = on ? w.steps[step] : undefined
  const thick = b.w / 150
  const go = (e: MouseEvent<SVGSVGElement>) => {
    const svg = e.currentTarget
    const m = svg.getScreenCTM()?.inverse()
    if (!m) return
    const p = new DOMPoint(e.clientX, e.clientY).matrixTransform(m)
    const best = w.steps.reduce((at, s, i) => (dist(s, p.x, p.y) < dist(w.steps[at] as Step, p.x, p.y) ? i : at), 0)
    stand(w, best)
  }
  return (
    <>
      <svg className="walk-plan" viewBox={`${b.x} ${b.z} ${b.w} ${b.h}`} role="img" aria-label={`Plan of the route, coloured by ${scale.name}`} onClick={go} data-testid="walk-plan">
        {w.walls.map((l, i) => (
          <line key={i} x1={l[0]} y1={l[1]} x2={l[2]} y2={l[3]} className="wall" strokeWidth={thick * 0.35} />
        ))}
        {w.steps.slice(1).map((s, i) => {
          const a = w.steps[i] as Step
          const t = scale.at(s)
          return <line key={i} x1={a.at[0]} y1={a.at[2]} x2={s.at[0]} y2={s.at[2]} stroke={Number.isNaN(t) ? 'var(--g5)' : scaleCss(t)} strokeWidth={thick * 1.6} strokeLinecap="round" />
        })}
        {w.exits.map((e) => (
          <line key={e.metres} x1={e.at[0] - (e.aside[0] * e.wide) / 2} y1={e.at[2] - (e.aside[2] * e.wide) / 2} x2={e.at[0] + (e.aside[0] * e.wide) / 2} y2={e.at[2] + (e.aside[2] * e.wide) / 2} className="exit" strokeWidth={thick * 0.8}>
            <title>{`Exit ${e.wide.toFixed(1)} m wide, ${e.high.toFixed(1)} m high`}</title>
          </line>
        ))}
        {w.found.map((f, i) => {
          const s = w.steps[f.step]
          return s ? <circle key={i} cx={s.at[0]} cy={s.at[2]} r={thick * 1.7} className="found-mark" strokeWidth={thick * 0.4} /> : null
        })}
        {here && (
          <g transform={`translate(${here.at[0]} ${here.at[2]}) rotate(${(Math.atan2(here.aim[2], here.aim[0]) * 180) / Math.PI})`}>
            <path d={`M ${thick * 6} 0 L ${thick * 2.6} ${-thick * 1.8} L ${thick * 2.6} ${thick * 1.8} Z`} className="you-look" />
            <circle r={thick * 2.2} className="you" strokeWidth={thick * 0.6} />
          </g>
        )}
      </svg>
      <Legend low={scale.low} high={scale.high} />
    </>
  )
}

const dist = (s: Step, x: number, z: number) => (s.at[0] - x) ** 2 + (s.at[2] - z) ** 2
