import { useQuery } from '@tanstack/react-query'
import { useEffect, useState } from 'react'
import type { Reading, Setup, Share, Warmth } from '../api.gen'
import { stopsText } from '../fields/number'
import { lux, nits } from '../frame/SeeLine'
import { api } from '../net/client'
import { useLook } from '../picture/look'
import { cssColour, evOf, linear } from '../setup/sums'
import { toneOf } from '../setup/tone'
import { useSetup } from '../setup/store'
import { readPin } from './weighing'

/** why says in words why a light gives nothing directly. */
export function why(s: Share): string {
  switch (s.reason) {
    case 'off':
      return 'off'
    case 'channel':
      return 'other channel'
    case 'range':
      return 'out of range'
    case 'cone':
      return 'outside the cone'
    case 'away':
      return 'the surface faces away'
    case 'shadow':
      return s.by ? `shadowed by ${s.by}` : 'in shadow'
    case 'enclosed':
      return s.by ? `no way to it: ${s.by}` : 'no way to it'
  }
  return 'direct'
}

const percent = (v: number) => (v >= 0.0995 ? (100 * v).toFixed(0) : v >= 0.0005 ? (100 * v).toFixed(1) : '0')

/** WeighPanel lists what lights the point that is asked about. */
export function WeighPanel({ reading, doc, warmth, title }: { reading: Reading; doc: Setup; warmth: Warmth; title: string }) {
  const all = reading.shares.filter((s) => doc.lights[s.light])
  const top = all.filter((s) => s.share >= 0.002)
  const rest = all.filter((s) => s.share < 0.002)
  const most = top[0]?.share ?? 1
  return (
    <section className="weighed" aria-label={title}>
      <div className="weighed-head">
        <b>{title}</b>
        <span>{reading.hit ? `${reading.object} · ${reading.material}` : 'the open sky'}</span>
        <span>
          {nits(reading.luminance)} · EV {evOf(Math.max(reading.luminance, 1e-6)).toFixed(1)}
        </span>
        {reading.hit && <span>{lux(reading.lux)}</span>}
        {reading.hit && <span>{reading.distance.toFixed(2)} m away</span>}
      </div>
      <div className="weighed-list">
        {top.slice(0, 9).map((s) => {
          const l = doc.lights[s.light]
          if (!l) return null
          const c = toneOf(doc, s.light, l, warmth)
          const k = s.direct + s.bounced + s.seen
          return (
            <div key={s.light} className="line">
              <span className="name">{l.name}</span>
              <span className="bars">
                <span style={{ width: `${(100 * (s.share / most) * (s.direct + s.seen)) / k}%`, background: c }} />
                <span className="bounced" style={{ width: `${(100 * (s.share / most) * s.bounced) / k}%`, background: c }} />
              </span>
              <span className="right">{percent(s.share)} %</span>
              <span className="right soft">{s.share > 0.999 ? '' : `${stopsText(Math.log2(s.share))} st`}</span>
              <span className="right soft">{s.lux > 0 ? lux(s.lux) : ''}</span>
              <span className="soft reason">
                {s.straight > 0 || s.direct + s.seen > 0 ? `direct ${percent((s.direct + s.seen) / Math.max(reading.luminance, 1e-9))}, bounced ${percent(s.bounced / Math.max(reading.luminance, 1e-9))}` : `bounced only: ${why(s)}`}
              </span>
            </div>
          )
        })}
        {rest.length > 0 && (
          <p className="nothing">
            {rest.slice(0, 12).map((s, i) => (
              <span key={s.light}>
                {i > 0 ? ' · ' : ''}
                <b>{doc.lights[s.light]?.name}</b> {why(s)}
              </span>
            ))}
          </p>
        )}
      </div>
    </section>
  )
}

/** FigureLine is how the figure under the pointer stands out against what is behind it. */
export function FigureLine({ object }: { object: number }) {
  const id = useSetup((s) => s.id)
  const sight = useSetup((s) => s.sight)
  const ev = useSetup((s) => s.doc?.views[s.view]?.ev ?? 0)
  const revision = useSetup((s) => s.revision)
  const samples = useSetup((s) => s.frames[s.sight]?.[1]?.samples ?? 0)
  const q = useQuery({ queryKey: ['contrast', id, sight, object, ev, revision, samples], queryFn: () => api.contrast(id ?? 0, sight, object, ev), enabled: id !== null && sight !== '', retry: false, placeholderData: (p) => p })
  const c = q.data
  if (!c) return null
  return (
    <p className="figure-line">
      <b>{c.figure}</b> against what is behind: <b>{stopsText(c.stops)} st</b>, colour difference <b>{c.colour.toFixed(1)}</b> · a quarter of the outline is under {c.weakest.toFixed(1)} st ·{' '}
      {c.lost > 0.005 ? `${percent(c.lost)} % of it is lost` : 'none of it is lost'}
    </p>
  )
}

/** PinsList shows the pinned readings, which follow the light. */
export function PinsList({ doc, warmth }: { doc: Setup; warmth: Warmth }) {
  const pins = useLook((s) => s.pins)
  const revision = useSetup((s) => s.revision)
  const [open, setOpen] = useState<number | null>(null)
  useEffect(() => {
    const t = setTimeout(() => useLook.getState().pins.forEach((p) => void readPin(p.id)), 250)
    return () => clearTimeout(t)
  }, [revision])
  if (pins.length === 0) return null
  return (
    <section className="pins" aria-label="Pinned readings">
      {pins.map((p, i) => {
        const r = p.reading
        const first = r?.shares.find((s) => s.share > 0)
        return (
          <div key={p.id} className="line">
            <b>{i + 1}</b>
            <button type="button" className="name" aria-expanded={open === p.id} title="All that lights it" onClick={() => setOpen(open === p.id ? null : p.id)}>
              {r ? (r.hit ? r.object : 'the open sky') : 'being read'}
            </button>
            <span className="right">{r ? nits(r.luminance) : ''}</span>
            <span className="right">{r ? `EV ${evOf(Math.max(r.luminance, 1e-6)).toFixed(1)}` : ''}</span>
            <span className="right">{r?.hit ? lux(r.lux) : ''}</span>
            <span className="soft">
              {first && doc.lights[first.light] ? (
                <>
                  <span className="swatch" style={{ background: cssColour(linear(warmth, doc.lights[first.light]?.colour ?? {})) }} /> {doc.lights[first.light]?.name} {percent(first.share)} %
                </>
              ) : null}
            </span>
            <button type="button" aria-label={`Take pin ${i + 1} away`} onClick={() => useLook.setState((s) => ({ pins: s.pins.filter((q) => q.id !== p.id) }))}>
              ×
            </button>
          </div>
        )
      })}
      {pins.map((p, i) => (p.id === open && p.reading ? <WeighPanel key={p.id} reading={p.reading} doc={doc} warmth={warmth} title={`Pin ${i + 1}`} /> : null))}
    </section>
  )
}
