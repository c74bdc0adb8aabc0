import { Button, IconButton } from '@mui/material'
import { X } from '@phosphor-icons/react/dist/csr/X'
import type { Fog, FogBox } from '../../api.gen'
import { addBox, clearFog, halveFog, marshFog, metres, removeBox, setBox, setFog, thinned } from '../../kernel/fog'
import { useDevice } from '../../kernel/queries'
import { useSetup } from '../../kernel/store'
import { ColourField } from '../../ui/ColourField'
import { linearToHex } from '../../ui/colour'
import { NumberField } from '../../ui/NumberField'
import { SliderField } from '../../ui/SliderField'
import { Tip } from '../../ui/Tip'

/** FogPart is what hangs in the air: how far one sees, how it thins with height, and boxes of it. */
export function FogPart({ fog }: { fog: Fog | undefined }) {
  if (!fog)
    return (
      <div className="air-part" role="group" aria-label="Fog">
        <div className="air-head">
          <h2>Fog</h2>
          <Button className="word" onClick={() => setFog(marshFog, 'Fog laid')}>
            Lay fog
          </Button>
        </div>
        <p className="quiet">The air is clear.</p>
      </div>
    )
  return (
    <div className="air-part fog" role="group" aria-label="Fog">
      <div className="air-head">
        <h2>Fog</h2>
        <span>
          <Tip title="See twice as far: half of the fog’s density, boxes too">
            <Button className="word" onClick={halveFog}>
              halve it
            </Button>
          </Tip>
          <Button className="word" aria-pressed={Boolean(fog.off)} onClick={() => setFog({ off: !fog.off }, fog.off ? 'Fog on' : 'Fog off')}>
            {fog.off ? 'on' : 'off'}
          </Button>
          <Button className="word" onClick={clearFog}>
            without
          </Button>
        </span>
      </div>
      <Cost />
      <Sliders fog={fog} />
      <Profile fog={fog} />
      <Boxes boxes={fog.boxes ?? {}} />
    </div>
  )
}

/** Cost is what fog costs in this view: its pass, its cells, and the lights in it. */
function Cost() {
  const b = useSetup((s) => s.figures[s.view]?.budget)
  const ms = b?.features.fog ?? 0
  const steps = useDevice()?.how.fog.steps ?? 0
  if (!b || !(ms > 0)) return null
  const cells = b.counts.fogCells ?? 0
  return (
    <p className="air-facts" data-testid="fog-cost">
      <span>{cells > 0 ? `${steps} steps, ${(cells / 1e6).toFixed(2)} million cells` : 'no light shows in it'}</span>
      <span>
        <b>{ms.toFixed(2)} ms</b> here
      </span>
    </p>
  )
}

/** Sliders are the fog's numbers. */
function Sliders({ fog }: { fog: Fog }) {
  const round = (v: number) => Math.round(v * 100) / 100
  return (
    <>
      <SliderField name="Visibility" of="Fog" says="How far off a light keeps 5 %, at the base and below" unit="m" geometric min={5} max={20000} step={1.1} value={fog.visibility} show={(v) => String(v >= 10 ? Math.round(v) : round(v))} set={(v, done) => setFog({ visibility: round(v) }, `Fog: ${metres(v)} to be seen`, done)} />
      <SliderField name="Halves every" of="Fog" says="Over how many metres above its base it thins by half; 0: as thick at every height" unit="m" min={0} max={40} step={0.1} value={fog.halves} show={(v) => String(round(v))} set={(v, done) => setFog({ halves: round(v) }, `Fog halves every ${metres(v)}`, done)} />
      <SliderField name="Base" of="Fog" says="Height up to which it is thickest" unit="m" min={-10} max={20} step={0.1} value={fog.base} show={(v) => String(round(v))} set={(v, done) => setFog({ base: round(v) }, `Fog’s base at ${metres(v)}`, done)} />
      <SliderField name="Begins at" of="Fog" says="Nearer to the eye there is none" unit="m" min={0} max={50} step={0.1} value={fog.begins} show={(v) => String(round(v))} reset={0} set={(v, done) => setFog({ begins: round(v) }, `Fog begins at ${metres(v)}`, done)} />
      <SliderField name="Hides at most" of="Fog" says="Of what is far off, however thick it is" unit="%" min={0} max={100} step={1} value={Math.round(fog.most * 100)} set={(v, done) => setFog({ most: v / 100 }, `Fog hides ${Math.round(v)} % at most`, done)} />
      <SliderField name="Forward" of="Fog" says="How much it sends light on rather than back: over 0 it glows towards the sun, as mist does" min={-0.9} max={0.9} step={0.05} value={fog.forward} show={(v) => v.toFixed(2)} reset={0} set={(v, done) => setFog({ forward: round(v) }, `Fog forward ${v.toFixed(2)}`, done)} />
      <div className="slider-field">
        <Tip title="What it sends on of the light: white is mist, darker is smoke">
          <span className="label">Colour</span>
        </Tip>
        <ColourField label="Fog colour" hex={linearToHex(fog.colour)} onDraft={(c) => setFog({ colour: c }, '', false)} onDone={(c) => setFog({ colour: c }, 'Fog’s colour')} />
      </div>
    </>
  )
}

const tall = 16 // metres that the profile shows

/** Profile is how thick the fog is over the height, with the eye's. */
function Profile({ fog }: { fog: Fog }) {
  const eye = useSetup((s) => s.doc?.views[s.view]?.eye[1])
  const low = Math.min(fog.base, 0) - 1
  const y = (h: number) => 60 - (60 * (h - low)) / tall
  const steps = Array.from({ length: 41 }, (_, i) => low + (tall * i) / 40)
  const line = steps.map((h, i) => `${i ? 'L' : 'M'}${(100 * thinned(fog, h)).toFixed(1)} ${y(h).toFixed(1)}`).join(' ')
  const at = eye !== undefined && eye < low + tall ? y(eye) : null
  return (
    <figure className="fog-profile">
      <svg viewBox="0 0 100 60" preserveAspectRatio="none" role="img" aria-label={`Fog over the height: ${Math.round(100 * thinned(fog, fog.base + 5))} % of it five metres over its base`}>
        <path className="area" d={`${line} L0 0 L0 60 Z`} />
        <path d={line} />
        {at !== null && <line x1="0" x2="100" y1={at} y2={at} />}
      </svg>
      <figcaption>
        <span>{Math.round(low + tall)} m up</span>
        {at !== null && <span style={{ top: `${(100 * Math.min(Math.max(at, 14), 50)) / 60}%` }}>the eye</span>}
      </figcaption>
    </figure>
  )
}

/** Boxes are the places where the fog is thicker. */
function Boxes({ boxes }: { boxes: Record<string, FogBox> }) {
  const list = Object.entries(boxes).sort((a, b) => a[1].order - b[1].order)
  const add = (layer: boolean) => {
    const s = useSetup.getState()
    const v = s.doc?.views[s.view]
    addBox(v ? [v.eye[0] + 6 * v.aim[0], Math.max(v.eye[1] + 6 * v.aim[1], 1), v.eye[2] + 6 * v.aim[2]] : [0, 1, 0], layer)
  }
  return (
    <>
      {list.map(([id, b]) => (
        <Box key={id} id={id} b={b} />
      ))}
      <p className="made">
        thicker in:
        <Button className="word" onClick={() => add(true)}>
          a layer
        </Button>
        <Button className="word" onClick={() => add(false)}>
          a box
        </Button>
      </p>
    </>
  )
}

const axes = ['x', 'y', 'z']

/** Box is one box of fog: how thick it is, where it lies, how large it is. */
function Box({ id, b }: { id: string; b: FogBox }) {
  const with_ = (v: [number, number, number], k: number, x: number) => v.map((o, i) => (i === k ? Math.round(x * 100) / 100 : o)) as [number, number, number]
  return (
    <div className="fog-box" role="group" aria-label={b.name}>
      <div className="air-row">
        <b className="label">{b.name}</b>
        <NumberField label={`${b.name}, visibility`} value={b.visibility} unit="m" min={0.5} max={20000} step={1.1} geometric onDraft={(v) => setBox(id, { visibility: v }, '', false)} onDone={(v) => setBox(id, { visibility: v }, `${metres(v)} to be seen`)} />
        <Button className="word" aria-pressed={Boolean(b.off)} onClick={() => setBox(id, { off: !b.off }, b.off ? 'on' : 'off')}>
          {b.off ? 'on' : 'off'}
        </Button>
        <Tip title={`Remove ${b.name}`}>
          <IconButton size="small" aria-label={`Remove ${b.name}`} onClick={() => removeBox(id)}>
            <X size={12} />
          </IconButton>
        </Tip>
      </div>
      <div className="field-row">
        {axes.map((a, k) => (
          <NumberField key={a} label={`${b.name}, middle ${a}`} value={b.position[k] ?? 0} unit={a} min={-1000} max={1000} step={0.1} onDraft={(v) => setBox(id, { position: with_(b.position, k, v) }, '', false)} onDone={(v) => setBox(id, { position: with_(b.position, k, v) }, 'moved')} />
        ))}
      </div>
      <div className="field-row">
        {axes.map((a, k) => (
          <NumberField key={a} label={`${b.name}, size ${a}`} value={b.size[k] ?? 0} unit={`m ${a}`} min={0} max={2000} step={0.1} show={(v) => (v === 0 ? 'endless' : String(v))} onDraft={(v) => setBox(id, { size: with_(b.size, k, v) }, '', false)} onDone={(v) => setBox(id, { size: with_(b.size, k, v) }, 'another size')} />
        ))}
      </div>
    </div>
  )
}
