import type { KeyboardEvent, PointerEvent } from 'react'
import type { Step, Walked } from '../../api.gen'
import { useLook } from '../../kernel/look'
import { figure5, lx, st } from './heat'
import { useWalk } from './queries'
import { stand, useRoute } from './state'

const W = 1000
const H = 100

/** smooth takes single steps that stray out of a curve: the middle of three. */
const smooth = (w: Walked, of: (s: Step) => number) => {
  const v = w.steps.map(of)
  return v.map((y, i) => {
    const three = [v[i - 1], y, v[i + 1]].filter((x): x is number => x !== undefined && !Number.isNaN(x)).sort((a, b) => a - b)
    return Number.isNaN(y) || three.length < 3 ? y : (three[1] as number)
  })
}

/** line is a curve along the way; NaN leaves a gap. */
function line(w: Walked, of: (s: Step) => number) {
  let pen = 'M'
  const values = smooth(w, of)
  return w.steps
    .map((s, i) => {
      const y = values[i] as number
      if (Number.isNaN(y)) {
        pen = 'M'
        return ''
      }
      const out = `${pen}${((W * s.metres) / Math.max(w.metres, 1e-9)).toFixed(1)} ${(H - H * Math.min(Math.max(y, 0), 1)).toFixed(1)}`
      pen = 'L'
      return out
    })
    .join('')
}

/** stops are where the parts of the way begin. */
function stops(w: Walked) {
  const out: { name: string; at: number }[] = []
  for (const s of w.steps) if (s.stop && out.at(-1)?.name !== s.stop) out.push({ name: s.stop, at: s.metres / Math.max(w.metres, 1e-9) })
  return out
}

/** Along is the graph under the picture: cost, light at the eye and the figure along the way; it is scrubbed by hand and by keys. */
export function Along() {
  const { data } = useWalk()
  const step = useRoute((s) => s.step)
  const on = useLook((s) => s.onRoute)
  const w = data?.walked
  if (!w || w.steps.length === 0)
    return (
      <div className="cards">
        <section className="card wide-card" aria-label="Along the route">
          <div className="card-head">
            <b>Along the route</b>
          </div>
          <p className="quiet">{data?.task.state === 'working' ? `Being walked: ${Math.round(100 * data.task.share)} %` : 'Walk the route, at the right: cost, light and readability at every step.'}</p>
        </section>
      </div>
    )
  const most = Math.max(w.limitMs * 1.25, ...w.steps.map((s) => s.ms * 1.05))
  const here = on ? w.steps[step] : undefined
  const go = (e: PointerEvent<SVGSVGElement>) => {
    const b = e.currentTarget.getBoundingClientRect()
    const m = ((e.clientX - b.left) / b.width) * w.metres
    const k = w.steps.findIndex((s) => s.metres >= m)
    stand(w, k < 0 ? w.steps.length - 1 : k, e.type === 'pointermove')
  }
  const key = (e: KeyboardEvent) => {
    const by: Record<string, number> = { ArrowRight: 1, ArrowLeft: -1, ArrowUp: 1, ArrowDown: -1, PageUp: 10, PageDown: -10, Home: -1e6, End: 1e6 }
    const d = by[e.key]
    if (d === undefined) return
    e.preventDefault()
    e.stopPropagation()
    stand(w, Math.max(step, 0) + d)
  }
  return (
    <div className="cards">
      <section className="card wide-card walk-along" aria-label="Along the route" data-testid="walk-along">
        <div className="card-head">
          <b>Along the route</b>
          <span className="walk-keys">
            <i className="cost" /> cost <i className="light" /> light at the eye <i className="figure" /> figure apart
          </span>
        </div>
        <svg
          viewBox={`0 0 ${W} ${H}`}
          preserveAspectRatio="none"
          role="slider"
          tabIndex={0}
          aria-label="Place on the route"
          aria-valuemin={0}
          aria-valuemax={Math.round(w.metres)}
          aria-valuenow={Math.round(here?.metres ?? 0)}
          aria-valuetext={here ? `${here.metres.toFixed(0)} m, ${here.ms.toFixed(2)} ms, ${lx(here.lux)}, figure ${figure5(here).seen ? st(figure5(here).stops) : 'not seen'}` : 'nowhere yet'}
          onPointerDown={(e) => {
            e.currentTarget.setPointerCapture(e.pointerId)
            go(e)
          }}
          onPointerMove={(e) => e.buttons === 1 && go(e)}
          onPointerUp={go}
          onKeyDown={key}
        >
          <line x1={0} x2={W} y1={H - (H * w.limitMs) / most} y2={H - (H * w.limitMs) / most} className="limit" />
          <path d={line(w, (s) => (Math.log10(Math.max(s.lux, 1e-4)) + 2) / 5)} className="light" />
          <path d={line(w, (s) => (figure5(s).seen ? Math.abs(figure5(s).stops) / 5 : NaN))} className="figure" />
          <path d={line(w, (s) => s.ms / most)} className="cost" />
          {here && <line x1={(W * here.metres) / w.metres} x2={(W * here.metres) / w.metres} y1={0} y2={H} className="here" />}
        </svg>
        <p className="walk-stops">
          {stops(w).map((s, i, all) => (
            <span key={`${s.name} ${s.at}`} style={{ left: `${100 * s.at}%`, maxWidth: `${100 * ((all[i + 1]?.at ?? 1) - s.at)}%` }}>
              {s.name}
            </span>
          ))}
        </p>
      </section>
    </div>
  )
}
