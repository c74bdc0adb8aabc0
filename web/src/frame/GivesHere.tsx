import { useState } from 'react'
import type { Warmth } from '../api.gen'
import { useLook } from '../picture/look'
import { gains, gives, mixed } from '../setup/sums'
import { toneOf } from '../setup/tone'
import { lampsNow, useSetup } from '../setup/store'

const percent = (v: number) => (v >= 0.0995 ? (100 * v).toFixed(0) : (100 * v).toFixed(1))

/** GivesHere lists what lights this view, the strongest first: direct and bounced apart, beside what it costs. */
export function GivesHere({ warmth }: { warmth: Warmth }) {
  const doc = useSetup((s) => s.doc)
  const lamps = useSetup(lampsNow)
  const frames = useSetup((s) => s.frames[s.sight])
  const budget = useSetup((s) => s.figures[s.view]?.budget)
  const alone = useLook((s) => s.alone)
  const now = mixed(frames, lamps)
  // While a new sight is on its way, what was known last stays in place.
  const [kept, keep] = useState(now)
  if (now && now !== kept && Object.keys(now.layers).length > 0 && now.frame + now.samples !== (kept?.frame ?? '') + (kept?.samples ?? 0)) keep(now)
  const frame = now ?? kept
  if (!doc || !frame) return null
  const all = Object.entries(gives(frame, lamps, gains(doc, lamps, warmth, alone)))
    .filter(([id, g]) => g.share > 0 && doc.lights[id])
    .sort((a, b) => b[1].share - a[1].share)
  const most = all[0]?.[1].share ?? 1
  return (
    <section className="gives-here" aria-label="What lights this view">
      <div className="line title">
        <b>What lights this view</b>
        <span>direct, and bounced paler</span>
        <span />
        <span>direct · bounced</span>
        <span className="right">costs</span>
      </div>
      {all.slice(0, 12).map(([id, g]) => {
        const l = doc.lights[id]
        if (!l) return null
        const c = toneOf(doc, id, l, warmth)
        return (
          <div key={id} className="line">
            <span className="name">{l.name}</span>
            <span className="bars">
              <span style={{ width: `${(100 * g.direct) / most}%`, background: c }} />
              <span className="bounced" style={{ width: `${(100 * g.bounced) / most}%`, background: c }} />
            </span>
            <span className="right">{percent(g.share)} %</span>
            <span className="soft">
              {percent(g.direct)} · {percent(g.bounced)}
            </span>
            <span className="soft right">{budget?.lights[id] ? `${budget.lights[id].ms.toFixed(2)} ms` : ''}</span>
          </div>
        )
      })}
    </section>
  )
}
