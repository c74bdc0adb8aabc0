import { Button } from '@mui/material'
import { useState } from 'react'
import type { Backdrop, Light, Setup } from '../../api.gen'
import { addCard, cardLight } from '../../kernel/cards'
import { keepReference, Refused } from '../../kernel/client'
import { lightEdits } from '../../kernel/lightEdits'
import { stopsText } from '../../kernel/number'
import { backdrop, removeBackdrop } from '../../kernel/objectEdits'
import { complain, edit, type Op } from '../../kernel/store'
import { OnOff } from '../../ui/Choice'
import { linearToHex } from '../../ui/colour'
import { ColourField } from '../../ui/ColourField'
import { NumberField } from '../../ui/NumberField'

/** Backdrops are sweeps behind figures, and cards with pictures. */
export function Backdrops({ doc }: { doc: Setup }) {
  const [going, setGoing] = useState(false)
  const bring = (f: File | undefined) => {
    if (!f) return
    setGoing(true)
    Promise.all([keepReference(f), createImageBitmap(f)])
      .then(([k, im]) => addCard(k, im.width / im.height), (e: unknown) => complain(e instanceof Refused ? e.fault : { what: 'The picture could not be brought in.', remedy: 'Choose a PNG or JPEG.' }))
      .finally(() => setGoing(false))
  }
  const all = Object.entries(doc.backdrops ?? {})
  return (
    <>
      <h2>Backdrops</h2>
      {all.map(([k, b]) => (b.card ? <OneCard key={k} id={k} b={b} lights={doc.lights} /> : <Sweep key={k} id={k} b={b} />))}
      <p>
        <label className="word">
          {going ? 'being sent …' : 'Put up a picture on a card …'}
          <input type="file" accept="image/png,image/jpeg" hidden disabled={going} data-testid="card-file" onChange={(e) => bring(e.target.files?.[0])} />
        </label>
      </p>
    </>
  )
}

function Head({ id, b }: { id: string; b: Backdrop }) {
  return (
    <p>
      <b>{b.name}</b>{' '}
      <Button className="word" onClick={() => removeBackdrop(id, b)}>
        take away
      </Button>
    </p>
  )
}

type Measure = 'width' | 'depth' | 'height' | 'curve' | 'facing'

function Size({ id, b, f, unit }: { id: string; b: Backdrop; f: Measure; unit: string }) {
  return <NumberField label={`${b.name} ${f}`} value={b[f]} unit={unit} min={f === 'facing' ? -360 : f === 'curve' ? 0 : 0.2} max={f === 'facing' ? 360 : 100} step={f === 'facing' ? 5 : 0.25} onDraft={() => undefined} onDone={(v) => backdrop(id, b, { [f]: v })} />
}

function Sweep({ id, b }: { id: string; b: Backdrop }) {
  return (
    <div className="one-object" role="region" aria-label={b.name}>
      <Head id={id} b={b} />
      <div className="field-row">
        <Size id={id} b={b} f="width" unit="m wide" />
        <Size id={id} b={b} f="depth" unit="m deep" />
        <Size id={id} b={b} f="height" unit="m high" />
        <Size id={id} b={b} f="curve" unit="m bend" />
        <Size id={id} b={b} f="facing" unit="° facing" />
        <ColourField label={`${b.name} colour`} hex={linearToHex(b.colour)} onDraft={(c) => backdrop(id, b, { colour: c }, false)} onDone={(c) => backdrop(id, b, { colour: c })} />
      </div>
    </div>
  )
}

const axes = ['x', 'y', 'z']

/** OneCard is a picture on a card, with its level and whether it lights. */
function OneCard({ id, b, lights }: { id: string; b: Backdrop; lights: Record<string, Light> }) {
  const [light, l] = cardLight(lights, b) ?? []
  const lit = l ? !l.noDiffuse : false
  const put = (k: number, v: number) => backdrop(id, b, { position: b.position.map((x, i) => (i === k ? v : x)) as [number, number, number] })
  const shine: Op[] = [{ op: 'add', path: `/lights/${light}/noDiffuse`, value: lit ? 1 : 0 }]
  return (
    <div className="one-object" role="region" aria-label={b.name}>
      <Head id={id} b={b} />
      <div className="field-row">
        <Size id={id} b={b} f="width" unit="m wide" />
        <Size id={id} b={b} f="height" unit="m high" />
        <Size id={id} b={b} f="facing" unit="° facing" />
        {axes.map((a, k) => (
          <NumberField key={a} label={`${b.name} ${a}`} value={b.position[k] ?? 0} unit={`m ${a}`} min={-1000} max={1000} step={0.25} onDraft={() => undefined} onDone={(v) => put(k, v)} />
        ))}
        {light && l ? (
          <>
            <NumberField label={`${b.name} stops`} value={l.stops} unit="st" min={-20} max={20} step={1 / 3} show={stopsText} onDraft={(v) => lightEdits.stops(light, l, v, false)} onDone={(v) => lightEdits.stops(light, l, v, true)} onReset={() => lightEdits.stops(light, l, 0, true)} />
            <OnOff label={`${b.name} lights the place`} on={lit} words={lit ? 'lights the place' : 'only seen'} says="Whether it lights what is matt, or is only seen, and shows in mirrors" change={() => edit(lit ? `${b.name} is only seen` : `${b.name} lights the place`, shine)} />
          </>
        ) : (
          <span className="quiet">its light is gone: it is black</span>
        )}
      </div>
    </div>
  )
}
