import { Button } from '@mui/material'
import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import type { Day, KeptEnvironment, Light, Sun } from '../../api.gen'
import { api, keepEnvironment, Refused } from '../../kernel/client'
import { bearing, sunOf, sunTo } from '../../kernel/day'
import { lightEdits, replace } from '../../kernel/lightEdits'
import { stopsText } from '../../kernel/number'
import { complain, edit, useSetup, type Op } from '../../kernel/store'
import { lux } from '../../kernel/units'
import { Layers, OnlySeen, Panorama, SeenBehind } from './Panorama'
import { NumberField } from '../../ui/NumberField'
import { Tip } from '../../ui/Tip'

/** Surroundings are pictures of all that lies around: what they give, how they are turned, and their suns. */
export function Surroundings({ lights, day }: { lights: Record<string, Light>; day: Day | undefined }) {
  const [going, setGoing] = useState<number | null>(null)
  const bring = (f: File | undefined) => {
    if (!f) return
    setGoing(0)
    keepEnvironment(f, setGoing)
      .then(add, (e: unknown) => complain(e instanceof Refused ? e.fault : { what: 'The picture could not be brought in.', remedy: 'Try again.' }))
      .finally(() => setGoing(null))
  }
  const list = Object.entries(lights).filter(([, l]) => l.environment)
  return (
    <div className="air-part" role="group" aria-label="Environment">
      <div className="air-head">
        <h2>Environment</h2>
        <label className="word">
          {going === null ? 'Bring in a picture …' : going < 1 ? `Being sent, ${Math.round(100 * going)} %` : 'Being read …'}
          <input type="file" accept=".hdr,.exr" hidden disabled={going !== null} data-testid="environment-file" onChange={(e) => bring(e.target.files?.[0])} />
        </label>
      </div>
      {list.map(([id, l]) => (
        <One key={id} id={id} l={l} day={day} lights={lights} />
      ))}
      <Made start={() => setGoing(1)} done={() => setGoing(null)} />
      {list.length === 0 && <p className="quiet">A latitude-longitude picture, Radiance HDR or OpenEXR, lights the place as a sky does: a pixel of 1 is 1 cd/m².</p>}
    </div>
  )
}

/** Made are the environments that are made by code, each a word. */
function Made({ start, done }: { start: () => void; done: () => void }) {
  const names = useQuery({ queryKey: ['made'], queryFn: api.madeNames, staleTime: Infinity })
  const make = (name: string) => {
    start()
    api.made(name).then(add, (e: unknown) => complain(e instanceof Refused ? e.fault : { what: 'The environment could not be made.', remedy: 'Try again.' })).finally(done)
  }
  return (
    <p className="made">
      made up:
      {names.data?.map((n) => (
        <Button key={n} className="word" onClick={() => make(n)}>
          {n}
        </Button>
      ))}
    </p>
  )
}

/** add makes a sky of a picture. */
function add(k: KeptEnvironment) {
  const doc = useSetup.getState().doc
  if (!doc) return
  let n = 1
  while (doc.lights[`environment-${n}`]) n++
  const order = Math.max(0, ...Object.values(doc.lights).map((l) => l.order)) + 1
  const name = k.file.replace(/\.[a-z]+$/i, '')
  const l: Light = { name, group: '', order, kind: 'sky', output: 1, stops: 0, colour: { rgb: [1, 1, 1] }, off: false, position: [0, 0, 0], aim: [0, -1, 0], roll: 0, radius: 0, width: 0, height: 0, angle: 0, inner: 0, outer: 0, range: 0, shadow: true, shadowMap: 0, carry: 'baked', channels: 255, environment: { blob: k.blob, file: k.file, turn: 0 } }
  edit(`${name} lies around`, [{ op: 'add', path: `/lights/environment-${n}`, value: l }])
}

/** replaceSun takes a picture's sun out and lets a sun light stand for it: the one that there is, or a new one. */
function replaceSun(id: string, l: Light, sun: Sun, ours: string | null) {
  const e = l.environment
  if (!e) return
  const turned = ((sun.azimuth + e.turn) * Math.PI) / 180
  const height = (sun.height * Math.PI) / 180
  const round = (v: number) => Math.round(v * 1e5) / 1e5
  const aim: [number, number, number] = [round(-Math.cos(height) * Math.sin(turned)), round(-Math.sin(height)), round(Math.cos(height) * Math.cos(turned))]
  const output = Math.round(sun.lux * 2 ** l.stops * 10) / 10
  const colour = { rgb: sun.colour.map((v) => Math.round(v * 1e4) / 1e4) as [number, number, number] }
  const ops: Op[] = [{ op: 'add', path: `/lights/${id}/environment/noSun`, value: true }]
  if (ours) ops.push({ op: 'add', path: `/lights/${ours}/unit`, value: '' }, replace(`/lights/${ours}/aim`, aim), replace(`/lights/${ours}/output`, output), replace(`/lights/${ours}/stops`, 0), replace(`/lights/${ours}/colour`, colour))
  else ops.push({ op: 'add', path: '/lights/sun', value: { ...l, environment: undefined, name: 'Sun', kind: 'sun', output, stops: 0, colour, aim, angle: Math.max(0.53, 2 * sun.radius), shadowMap: 2048, carry: 'split', order: l.order + 1 } })
  edit(`A sun light for the sun of ${l.name}`, ops)
}

const around = (v: number) => ((((v + 180) % 360) + 360) % 360) - 180

function One({ id, l, day, lights }: { id: string; l: Light; day: Day | undefined; lights: Record<string, Light> }) {
  const e = l.environment
  const facts = useQuery({ queryKey: ['environment', e?.blob, e?.layer], queryFn: () => api.environment(e?.blob ?? '', e?.layer ?? ''), enabled: Boolean(e), staleTime: Infinity })
  if (!e) return null
  const turn = (v: number) => edit(`${l.name} turned to ${Math.round(around(v))}°`, [replace(`/lights/${id}/environment/turn`, Math.round(around(v) * 10) / 10)])
  const sun = facts.data?.sun
  const ours = sunOf(day, lights)
  const at = ours ? bearing(lights[ours]?.aim ?? [0, -1, 0]) : null
  return (
    <div className="environment">
      <p className="air-facts">
        <b>{l.name}</b>
        {sun && at && <span>its sun {Math.round(Math.hypot(around(sun.azimuth + e.turn - at.azimuth), sun.height - at.height))}° off ours</span>}
      </p>
      <Panorama l={l} e={e} />
      <p className="air-facts">
        <span>{facts.data ? `${lux(facts.data.horizontalLux * 2 ** l.stops)} on flat ground` : 'measuring …'}</span>
        <span>{facts.data ? (sun ? `sun ${lux(sun.lux * 2 ** l.stops)}, ${sun.height.toFixed(0)}° high` : 'no sun in it') : ''}</span>
      </p>
      {facts.data !== undefined && facts.data.cleaned > 0 && <p className="quiet">{facts.data.cleaned} pixels were no light and have been cleaned.</p>}
      <Layers id={id} l={l} layers={facts.data?.layers ?? []} layer={facts.data?.layer ?? ''} />
      <Levels id={id} l={l} />
      <SeenBehind id={id} l={l} />
      <div className="field-row">
        <OnlySeen id={id} l={l} />
        <NumberField label={`${l.name} turned`} value={e.turn} unit="° turned" min={-360} max={360} step={5} onDraft={() => undefined} onDone={turn} onReset={() => turn(0)} />
        {sun && at && (
          <Tip title="Its picture is turned, so that its sun stands over ours">
            <Button variant="outlined" onClick={() => turn(at.azimuth - sun.azimuth)}>
              turn it to the sun
            </Button>
          </Tip>
        )}
        {sun && (
          <Tip title={e.noSun ? 'The picture has its own sun again; the sun light stays' : 'Its sun is taken out of the picture, and our sun light stands there with its lux and colour'}>
            <Button variant="outlined" onClick={() => (e.noSun ? edit(`${l.name} has its own sun again`, [{ op: 'remove', path: `/lights/${id}/environment/noSun` }]) : replaceSun(id, l, sun, ours))}>
              {e.noSun ? 'give it its sun back' : 'replace its sun'}
            </Button>
          </Tip>
        )}
        {sun && day && !e.noSun && (
          <Tip title="Our sun and our sky go where its sun stands">
            <Button variant="outlined" onClick={() => sunTo(day, sun.height, (sun.azimuth + e.turn + 360) % 360, `The sun stands where ${l.name} has it`, true)}>
              turn the sun to it
            </Button>
          </Tip>
        )}
      </div>
    </div>
  )
}

/** Levels are how bright a picture lights, shows in mirrors, and is seen behind everything. */
function Levels({ id, l }: { id: string; l: Light }) {
  const more = (field: 'mirrored' | 'behind', label: string) => <NumberField label={`${l.name} ${label}`} value={l[field] ?? 0} unit="st more" min={-20} max={20} step={1 / 3} show={stopsText} onDraft={(v) => lightEdits.number(id, l, field, v, 'st', false)} onDone={(v) => lightEdits.number(id, l, field, v, 'st')} onReset={() => lightEdits.number(id, l, field, 0, 'st')} />
  return (
    <div className="levels">
      <span className="label">Lights</span>
      <span className="label">Mirrors show</span>
      <span className="label">Seen behind</span>
      <NumberField label={`${l.name} lights`} value={l.stops} unit="st" min={-20} max={20} step={1 / 3} show={stopsText} onDraft={(v) => lightEdits.stops(id, l, v, false)} onDone={(v) => lightEdits.stops(id, l, v, true)} onReset={() => lightEdits.stops(id, l, 0, true)} />
      {more('mirrored', 'in mirrors')}
      {more('behind', 'seen behind')}
    </div>
  )
}
