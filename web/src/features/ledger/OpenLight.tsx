import { Autocomplete, Button } from '@mui/material'
import type { Light, Warmth } from '../../api.gen'
import { NumberField } from '../../ui/NumberField'
import { features } from '../../kernel/feature'
import { stopsText, tidy } from '../../kernel/number'
import { useLook } from '../../kernel/look'
import { useSetup } from '../../kernel/store'
import { Beam } from './Beam'
import { CarryLine } from './CarryLine'
import { lightEdits, linkedWith, othersOf } from '../../kernel/lightEdits'
import { DrawnPart } from './DrawnPart'
import { Output } from './Output'
import { PlaceRow } from './PlaceRow'
import { ShadowLine } from './ShadowLine'
import { Stands } from './Stands'
import { Tone } from './Tone'
import { Tip } from '../../ui/Tip'
import { Choice, OnOff } from '../../ui/Choice'
import { Text } from '../../ui/Text'

/** OpenLight is a Ledger row opened where it stands: everything the light has. */
export function OpenLight({ id, l, warmth, locked }: { id: string; l: Light; warmth: Warmth; locked: boolean }) {
  useLook((x) => x.picked) // what is mixed depends on what is chosen with it
  const local = isLocal(l)
  const links = linkedWith(id).length - 1
  return (
    <div className={`open-light${locked ? ' shut' : ''}`} role="region" aria-label={`${l.name}, opened`} inert={locked}>
      <Tone id={id} l={l} warmth={warmth} />
      <Output id={id} l={l} />
      {(local || l.kind === 'sun') && <PlaceRow id={id} l={l} />}
      <Stands id={id} l={l} placed={local} aims={l.kind !== 'sky' && l.kind !== 'emissive' && !(l.kind === 'point' && !l.length)} />
      <Role id={id} l={l} />
      <Form id={id} l={l} />
      <Beam id={id} l={l} />
      {features.map((f) => f.lightPart && <f.lightPart key={f.id} id={id} l={l} />)}
      {links > 0 && (
        <p className="why">
          Linked with {links === 1 ? 'one other' : `${links} others`}: they share all but their places.{' '}
          <Button className="word" onClick={() => lightEdits.unlink(id, l)}>
            unlink
          </Button>
        </p>
      )}
      <CarryLine id={id} l={l} />
      <ShadowLine id={id} l={l} />
      <Why id={id} l={l} />
    </div>
  )
}

const roles = ['key', 'fill', 'rim', 'bounce', 'ambient', 'practical', 'accent']

const carries = {
  baked: 'All of it in the lightmap: free each frame, does not light movers by itself',
  split: 'Direct light live with its shadow, bounced light baked',
  live: 'All of it worked out each frame: it may move',
}

/** areaKinds shine from a face, localKinds from a place. */
const areaKinds = ['rect', 'disc']
const localKinds = ['point', 'spot', 'line', ...areaKinds]
const isLocal = (l: Light) => localKinds.includes(l.kind)

function Role({ id, l }: { id: string; l: Light }) {
  return (
    <div className="field">
      <span className="label">Role</span>
      <Autocomplete
        key={l.role}
        freeSolo
        disableClearable
        options={roles}
        defaultValue={l.role ?? ''}
        onChange={(_, v) => lightEdits.role(id, l, v)}
        renderInput={(p) => (
          <Text
            className=""
            label={`${l.name} role`}
            ref={p.slotProps.input.ref}
            inputRef={p.slotProps.htmlInput.ref as React.Ref<HTMLInputElement>}
            attributes={p.slotProps.htmlInput}
            onKeyDown={(e) => e.key === 'Enter' && (e.target as HTMLElement).blur()}
            onBlur={(e) => lightEdits.role(id, l, e.target.value)}
          />
        )}
      />
    </div>
  )
}

type Measure = 'radius' | 'range' | 'width' | 'height' | 'angle' | 'inner' | 'outer' | 'roll' | 'shadowMap' | 'length' | 'grid' | 'behind' | 'mirrored'

interface MeasureProps {
  id: string
  l: Light
  label: string
  field: Measure
  unit: string
  min: number
  max: number
  step: number
  geometric?: boolean
  show?: (v: number) => string
}

/** Measured is one number of a light. */
function Measured({ id, l, label, field, unit, ...rest }: MeasureProps) {
  return (
    <div className="field">
      <span className="label">{label}</span>
      <NumberField label={`${l.name} ${label.toLowerCase()}`} value={l[field] ?? 0} unit={unit} {...rest} others={() => othersOf(id, (q) => (q.kind === l.kind || field === 'range' ? (q[field] ?? 0) : undefined))} onDraft={(v, c) => lightEdits.number(id, l, field, v, unit, false, c)} onDone={(v, c) => lightEdits.number(id, l, field, v, unit, true, c)} />
    </div>
  )
}

interface ShareProps {
  id: string
  l: Light
  label: string
  field: 'noDiffuse' | 'noSpecular'
  says: string
}

/** Share is how much of a light one kind of reflection shows; what is kept is the share that is not shown. */
function Share({ id, l, label, field, says }: ShareProps) {
  const shown = (change: (v: number) => number) => (x: number) => 1 - change(100 * (1 - x)) / 100
  return (
    <div className="field">
      <Tip title={says}>
        <span className="label">
          {label}
        </span>
      </Tip>
      <NumberField label={`${l.name} ${label.toLowerCase()}`} value={Math.round(100 * (1 - (l[field] ?? 0)))} unit="%" min={0} max={100} step={5} others={() => othersOf(id, (q) => 100 * (1 - (q[field] ?? 0)))} onDraft={(v, c) => lightEdits.number(id, l, field, 1 - v / 100, '', false, shown(c))} onDone={(v, c) => lightEdits.number(id, l, field, 1 - v / 100, '', true, shown(c))} />
    </div>
  )
}

/** Why says what a light costs, and of what that consists. */
function Why({ id, l }: { id: string; l: Light }) {
  const costs = useSetup((s) => s.figures[s.view]?.budget?.lights[id])
  return (
    <>
      {costs && l.carry !== 'baked' && (
        <p className="why">
          Reaches {((costs.counts[l.kind] ?? 0) / 1e6).toFixed(2)} million pixels at the target
          {costs.maps ? `; ${costs.maps} shadow ${costs.maps === 1 ? 'map' : 'maps'}${costs.kept > 0 ? `, ${costs.kept} kept from frame to frame,` : ''} with ${(costs.counts.casterTriangles ?? 0).toLocaleString('en')} triangles: ${costs.shadowMs.toFixed(2)} of its ${costs.ms.toFixed(2)} ms, ${costs.mb.toFixed(1)} MB.` : '; no shadow to draw.'}
        </p>
      )}
      {l.carry === 'baked' && <p className="why">Baked: it lies in the lightmap, and costs nothing of its own each frame.</p>}
    </>
  )
}

/** Form is what its kind lets be changed: size, cone, reach, carry and shadow. */
function Form({ id, l }: { id: string; l: Light }) {
  const { kind } = l
  const area = areaKinds.includes(kind)
  const local = isLocal(l)
  const draws = (local || kind === 'sun') && l.shadow
  const none = (v: number) => (v === 0 ? 'none' : tidy(v))
  const of = (field: Measure, label: string, unit: string, min: number, max: number, step: number, show?: (v: number) => string) => <Measured id={id} l={l} label={label} field={field} unit={unit} min={min} max={max} step={step} show={show} />
  return (
    <>
      {kind === 'sun' && of('angle', 'Angle', '°', 0, 20, 0.1)}
      {['point', 'spot', 'disc', 'line'].includes(kind) && of('radius', 'Radius', 'm', kind === 'disc' ? 0.001 : 0, 20, 0.01)}
      {(kind === 'point' || kind === 'line') && of('length', 'Length', 'm', kind === 'line' ? 0.01 : 0, 50, 0.05, none)}
      {kind === 'rect' && of('width', 'Width', 'm', 0.01, 100, 0.05)}
      {kind === 'rect' && of('height', 'Height', 'm', 0.01, 100, 0.05)}
      {kind === 'spot' && of('inner', 'Inner cone', '°', 0, l.outer, 1)}
      {kind === 'spot' && of('outer', 'Outer cone', '°', Math.max(l.inner, 0.1), 89, 1)}
      {area && of('grid', 'Grid', '°', 0, 89, 1, none)}
      {area && (
        <div className="field">
          <span className="label">Sides</span>
          <Choice label={`${l.name} sides`} value={l.twoSided ? 'both' : 'one'} options={[{ value: 'one', words: 'one' }, { value: 'both', words: 'both' }]} change={(v) => lightEdits.flag(id, l, 'twoSided', v === 'both', v === 'both' ? 'shines to both sides' : 'shines to one side')} />
        </div>
      )}
      {kind === 'rect' && (
        <div className="field">
          <Tip title="An opening by which rooms see the sky: skies are looked for through it, on or off, and settle sooner. Windows and doors are found by themselves; mark what is not.">
            <span className="label">Opening</span>
          </Tip>
          <OnOff label={`${l.name} is an opening for the sky`} on={Boolean(l.opening)} words={l.opening ? 'lets the sky in' : 'no'} change={() => lightEdits.opening(id, l, !l.opening)} />
        </div>
      )}
      {kind === 'sky' && of('behind', 'Behind', 'st', -20, 20, 1 / 3, stopsText)}
      {kind === 'sky' && of('mirrored', 'Mirrors', 'st', -20, 20, 1 / 3, stopsText)}
      {local && of('range', 'Range', 'm', 0, 1000, 0.25, (v) => (v === 0 ? 'none' : String(Math.round(v * 100) / 100)))}
      <div className="field span">
        <span className="label">Carry</span>
        <Choice label={`${l.name} carry`} value={l.carry} options={(['baked', 'split', 'live'] as const).map((c) => ({ value: c, words: c, says: carries[c] }))} change={(c) => lightEdits.carry(id, l, c)} />
      </div>
      {(['rect', 'line', 'spot'].includes(kind) || (kind === 'point' && Boolean(l.length))) && of('roll', 'Roll', '°', -180, 180, 1)}
      {draws && <Measured id={id} l={l} label="Map" field="shadowMap" unit="px" min={16} max={16384} step={2} geometric show={(v) => String(Math.round(v))} />}
      {(local || kind === 'sun') && (
        <div className="field">
          <span className="label">Shadow</span>
          <OnOff on={l.shadow} words={l.shadow ? 'casts' : 'none'} change={() => lightEdits.shadow(id, l)} />
        </div>
      )}
      {draws && l.carry !== 'baked' && <DrawnPart id={id} l={l} />}
      <Share id={id} l={l} label="Matt" field="noDiffuse" says="Share of it that matt reflection shows" />
      <Share id={id} l={l} label="Glossy" field="noSpecular" says="Share of it that glossy reflection shows: 0 keeps it out of reflections" />
    </>
  )
}
