import { Button } from '@mui/material'
import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import type { Exposed, View } from '../../api.gen'
import { api } from '../../kernel/client'
import { cameraOf, setCamera, setEV, takeZones } from '../../kernel/exposure'
import { replace } from '../../kernel/lightEdits'
import { choose, useLook } from '../../kernel/look'
import { stopsText } from '../../kernel/number'
import { draft, edit, hold, useSetup, type Op } from '../../kernel/store'
import { filmCurve, filmOf } from '../../kernel/sums'
import { Choice } from '../../ui/Choice'
import { NumberField } from '../../ui/NumberField'
import { SliderField } from '../../ui/SliderField'
import { AutoPart } from './AutoPart'
import { FocusPart } from './FocusPart'
import { Zones } from './Zones'

const seconds = (t: number) => (t >= 0.3 ? `${Math.round(t * 10) / 10}` : `1/${Math.round(1 / t)}`)

/** ExposurePart is the exposure that is held, as EV or as a camera's; what it makes white; the window over the room; and what automatic exposure would do. */
export function ExposurePart() {
  const id = useSetup((s) => s.id)
  const view = useSetup((s) => s.view)
  const v = useSetup((s) => s.doc?.views[s.view])
  const curve = useSetup((s) => s.doc?.curve ?? '')
  const revision = useSetup((s) => s.revision)
  // A view that was just made is not known there yet.
  const pending = useSetup((s) => s.pending.length)
  const drawn = useSetup((s) => s.thumbs[s.view]?.samples ?? 0)
  const [adapts, setAdapts] = useState(false)
  const [zones, setZones] = useState(false)
  const q = useQuery({ queryKey: ['exposed', id, view, revision, drawn], queryFn: () => api.exposed(id ?? 0, view), enabled: id !== null && v !== undefined && pending === 0, placeholderData: (p) => p })
  if (!v) return null
  const told = q.data
  return (
    <div className="air-part" role="group" aria-label="Exposure">
      <div className="air-head">
        <h2>Exposure</h2>
        <span className="quiet">{v.zoned ? 'by zones' : 'held'}</span>
      </div>
      {v.zoned ? (
        <p className="air-facts">
          EV {v.ev.toFixed(1)} from the zones here
          <Button className="word" onClick={() => takeZones(view, v, false)}>
            hold its own
          </Button>
        </p>
      ) : (
        <SliderField name={v.name} of="Exposure of" says="The view’s exposure as EV100: it is held" unit="EV" value={v.ev} min={-6} max={18} step={0.1} show={(x) => x.toFixed(1)} set={(x, done) => setEV(view, v, x, done)} />
      )}
      {!v.zoned && <Camera id={view} v={v} />}
      <FocusPart id={view} v={v} />
      <CurvePart curve={curve} />
      {told?.ready && <Hot told={told} />}
      {told?.window && <Window w={told.window} />}
      <p className="made">
        <Button className="word" aria-expanded={adapts} onClick={() => setAdapts(!adapts)}>
          let it adapt …
        </Button>
        <Button className="word" aria-expanded={zones} onClick={() => setZones(!zones)}>
          zones …
        </Button>
      </p>
      {adapts && <AutoPart wanted={told?.ready ? told.wanted : undefined} held={v.ev} />}
      {zones && <Zones view={view} v={v} here={told?.zone ?? ''} />}
    </div>
  )
}

const film = { steep: 1.3, white: 6 }

/** CurvePart is the tone curve: plain, with a soft shoulder, or a film's, by its parameters. */
function CurvePart({ curve }: { curve: string }) {
  const f = filmOf(curve)
  const kind = f ? 'film' : curve
  const set = (steep: number, white: number, done: boolean | 'held') => {
    const ops = [replace('/curve', filmCurve(steep, white))]
    const label = `Film ${steep.toFixed(2)}, white at ${white.toFixed(1)} st`
    if (done === 'held') hold(label, ops)
    else if (done) edit(label, ops)
    else draft(ops)
  }
  return (
    <>
      <div className="air-row">
        <span className="label">Curve</span>
        <Choice
          label="Tone curve"
          value={kind}
          options={[
            { value: 'shoulder', words: 'soft', says: 'As it is up to grey, then a soft shoulder: white is five stops over grey' },
            { value: 'film', words: 'film', says: 'A toe in the dark and a long shoulder, by two numbers' },
            { value: 'plain', words: 'plain', says: 'Linear to white, then it clips: for judging' },
          ]}
          change={(k) => (k === 'film' ? set(film.steep, film.white, true) : edit(`Tone curve ${k === 'plain' ? 'plain, clips' : 'soft shoulder'}`, [replace('/curve', k)]))}
        />
      </div>
      {f && <SliderField name="Steep" of="Film" says="How fast the dark falls away: over 1 there is a toe" value={f.steep} min={0.7} max={2.5} step={0.05} show={(v) => v.toFixed(2)} reset={film.steep} set={(v, done) => set(v, f.white, done)} />}
      {f && <SliderField name="White at" of="Film" says="Stops over middle grey" unit="st" value={f.white} min={2.5} max={12} step={0.1} show={(v) => v.toFixed(1)} reset={film.white} set={(v, done) => set(f.steep, v, done)} />}
    </>
  )
}

/** Camera tells the exposure as a camera's aperture, shutter and sensitivity. */
function Camera({ id, v }: { id: string; v: View }) {
  const c = cameraOf(v)
  const f = (x: number) => `f/${Math.round(x * 10) / 10}`
  return (
    <div className="field-row" role="group" aria-label="As a camera">
      <NumberField label="Aperture" value={c.aperture} unit="f" min={0.5} max={64} step={1.122} geometric show={(x) => String(Math.round(x * 10) / 10)} onDraft={(x) => setCamera(id, v, { aperture: x }, f(x), false)} onDone={(x) => setCamera(id, v, { aperture: x }, f(x), true)} />
      <NumberField label="Shutter" value={c.shutter} unit="s" min={1 / 16000} max={60} step={1.26} geometric show={seconds} onDraft={(x) => setCamera(id, v, { shutter: x }, `${seconds(x)} s`, false)} onDone={(x) => setCamera(id, v, { shutter: x }, `${seconds(x)} s`, true)} />
      <NumberField label="Sensitivity" value={c.iso} unit="ISO" min={1} max={1e7} step={1.26} geometric show={(x) => String(x >= 100 ? Math.round(x / 10) * 10 : Math.round(x))} onDraft={(x) => setCamera(id, v, { iso: x }, `ISO ${Math.round(x)}`, false)} onDone={(x) => setCamera(id, v, { iso: x }, `ISO ${Math.round(x)}`, true)} />
    </div>
  )
}

/** Hot names what is shown as white, with the light that makes it. */
function Hot({ told }: { told: Exposed }) {
  const lights = useSetup((s) => s.doc?.lights)
  if (told.hot.length === 0) return <p className="quiet">Nothing is shown as white.</p>
  const nameOf = (h: (typeof told.hot)[0]) => `${h.shines ? '' : `${h.object || 'sky'}, `}${lights?.[h.light]?.name ?? h.light}`
  // The largest of each name; the rest are counted.
  const each = told.hot.filter((h, i) => told.hot.findIndex((q) => nameOf(q) === nameOf(h)) === i)
  const many = (h: (typeof told.hot)[0]) => told.hot.filter((q) => nameOf(q) === nameOf(h)).length
  return (
    <p className="made hot" role="group" aria-label="Hot spots">
      hot:
      {each.slice(0, 4).map((h) => (
        <Button
          key={`${h.x} ${h.y}`}
          className="word"
          data-tip={`${(100 * h.share).toFixed(1)} % of the picture, ${h.stops.toFixed(1)} stops over white; ${Math.round(100 * h.part)} % of it by ${lights?.[h.light]?.name ?? ''}`}
          onClick={() => {
            choose(h.light)
            useLook.setState({ way: 'clipped' })
          }}
        >
          {nameOf(h)}
          {many(h) > 1 ? ` ×${many(h)}` : ''}
        </Button>
      ))}
    </p>
  )
}

/** Window is how far the outside stands over the room, and what would balance it. */
function Window({ w }: { w: NonNullable<Exposed['window']> }) {
  return (
    <div role="group" aria-label="Window over room">
      <p className="air-facts">
        <span>Window over room</span>
        <b>{stopsText(w.stops)} st</b>
      </p>
      {w.balance.length === 0 ? (
        <p className="quiet">In balance: up to {w.limit.toFixed(1)} stops are shown.</p>
      ) : (
        <ul className="balance">
          {w.balance.map((r) => (
            <li key={r?.words}>
              <span>{r?.words}</span>
              <Button className="word" onClick={() => r && edit(`Window over room: ${r.words}`, r.ops as unknown as Op[])}>
                take
              </Button>
            </li>
          ))}
        </ul>
      )}
    </div>
  )
}
