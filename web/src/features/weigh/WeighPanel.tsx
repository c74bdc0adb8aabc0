import { ButtonBase, IconButton } from '@mui/material'
import { X } from '@phosphor-icons/react/dist/csr/X'
import { useQuery } from '@tanstack/react-query'
import { useEffect, useState } from 'react'
import type { Reading, Setup, Share, Warmth } from '../../api.gen'
import { stopsText } from '../../kernel/number'
import { lux, nits } from '../../kernel/units'
import { api } from '../../kernel/client'
import { useLook } from '../../kernel/look'
import { evOf } from '../../kernel/sums'
import { toneOf } from '../../kernel/tone'
import { useSetup } from '../../kernel/store'
import { readPin } from '../../picture/weighing'
import { Tip } from '../../ui/Tip'

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
          const k = s.direct + s.bounced + s.seen + s.air
          return (
            <div key={s.light} className="line">
              <span className="name">{l.name}</span>
              <Bars share={s.share / most} direct={(s.direct + s.seen + s.air) / k} colour={c} />
              <span className="right">{percent(s.share)} %</span>
              <span className="right soft">{s.share > 0.999 ? '' : `${stopsText(Math.log2(s.share))} st`}</span>
              <span className="right soft">{s.lux > 0 ? lux(s.lux) : ''}</span>
              <span className="soft reason">
                {s.straight > 0 || s.direct + s.seen > 0 ? `direct ${percent((s.direct + s.seen) / Math.max(reading.luminance, 1e-9))}, bounced ${percent(s.bounced / Math.max(reading.luminance, 1e-9))}${s.air > 0 ? `, in the air ${percent(s.air / Math.max(reading.luminance, 1e-9))}` : ''}` : `bounced only: ${why(s)}`}
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

/** FigureCard is how the figure under the pointer stands out against what is behind it. */
export function FigureCard({ object }: { object: number }) {
  const id = useSetup((s) => s.id)
  const sight = useSetup((s) => s.sight)
  const ev = useSetup((s) => s.doc?.views[s.view]?.ev ?? 0)
  const revision = useSetup((s) => s.revision)
  const samples = useSetup((s) => s.frames[s.sight]?.[1]?.samples ?? 0)
  const q = useQuery({ queryKey: ['contrast', id, sight, object, ev, revision, samples], queryFn: () => api.contrast(id ?? 0, sight, object, ev), enabled: id !== null && sight !== '', retry: false, placeholderData: (p) => p })
  const c = q.data
  if (!c) return null
  return (
    <section className="card figure-line" aria-label={`How ${c.figure} stands out`}>
      <div className="card-head">
        <span>
          <b>{c.figure}</b> against what is behind
        </span>
        <b>{stopsText(c.stops)} st</b>
      </div>
      <div className="fact">
        <span>colour difference</span>
        <span>{c.colour.toFixed(1)}</span>
      </div>
      <div className="fact">
        <span>a quarter of the outline is under</span>
        <span>{c.weakest.toFixed(1)} st</span>
      </div>
      <div className="fact">
        <span>outline lost</span>
        <span>{c.lost > 0.005 ? `${percent(c.lost)} %` : 'none'}</span>
      </div>
    </section>
  )
}

/** PinCards show the pinned readings, which follow the light. */
export function PinCards({ doc, warmth }: { doc: Setup; warmth: Warmth }) {
  const pins = useLook((s) => s.pins)
  const revision = useSetup((s) => s.revision)
  const [open, setOpen] = useState<number | null>(null)
  useEffect(() => {
    const t = setTimeout(() => useLook.getState().pins.forEach((p) => void readPin(p.id)), 250)
    return () => clearTimeout(t)
  }, [revision])
  return pins.map((p, i) => {
    const r = p.reading
    const best = r?.shares.filter((s) => s.share >= 0.002 && doc.lights[s.light]).slice(0, 3) ?? []
    return (
      <section key={p.id} className={`card pins${p.id === open ? ' wide-card' : ''}`} aria-label={`Pin ${i + 1}`}>
        <div className="card-head line">
          <Tip title="All that lights it">
            <ButtonBase className="name" aria-expanded={open === p.id} onClick={() => setOpen(open === p.id ? null : p.id)}>
              {i + 1} · <b>{r ? (r.hit ? r.object : 'the open sky') : 'being read'}</b>
            </ButtonBase>
          </Tip>
          <span>
            {r?.hit ? `${lux(r.lux)} · ` : ''}
            {r ? nits(r.luminance) : ''}
          </span>
          <Tip title="Remove the pin">
            <IconButton aria-label={`Remove pin ${i + 1}`} onClick={() => useLook.setState((s) => ({ pins: s.pins.filter((q) => q.id !== p.id) }))}>
              <X size={12} />
            </IconButton>
          </Tip>
        </div>
        {p.id === open && r ? (
          <WeighPanel reading={r} doc={doc} warmth={warmth} title={`Pin ${i + 1}`} />
        ) : (
          best.map((s) => {
            const l = doc.lights[s.light]
            const k = Math.max(s.direct + s.bounced + s.seen + s.air, 1e-12)
            return l ? (
              <div key={s.light} className="line lit-by">
                <span className="name">{l.name}</span>
                <Bars share={s.share / (best[0]?.share ?? 1)} direct={(s.direct + s.seen + s.air) / k} colour={toneOf(doc, s.light, l, warmth)} />
                <span className="right">{percent(s.share)} %</span>
              </div>
            ) : null
          })
        )}
      </section>
    )
  })
}

/** Bars are a share as a bar in the light's colour: direct, and bounced paler. */
function Bars({ share, direct, colour }: { share: number; direct: number; colour: string }) {
  return (
    <span className="bars">
      <span style={{ width: `${100 * share * direct}%`, background: colour }} />
      <span className="bounced" style={{ width: `${100 * share * (1 - direct)}%`, background: colour }} />
    </span>
  )
}
