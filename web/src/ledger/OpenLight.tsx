import { Slider } from '@mui/material'
import type { Light, Warmth } from '../api.gen'
import { hexToLinear } from '../fields/colour'
import { NumberField } from '../fields/NumberField'
import { cssColour, linear, temperature } from '../setup/sums'
import { unitOf, useSetup } from '../setup/store'
import { deeds } from './deeds'

/** toHex gives a css rgb() colour as the colour input wants it. */
function toHex(css: string): string {
  return '#' + (css.match(/\d+/g) ?? []).map((v) => Number(v).toString(16).padStart(2, '0')).join('')
}

/** OpenLight is a Ledger row opened where it stands: everything the light has. */
export function OpenLight({ id, l, warmth, locked }: { id: string; l: Light; warmth: Warmth; locked: boolean }) {
  const costs = useSetup((s) => s.figures[s.view]?.budget.lights[id])
  const unit = unitOf(l)
  const kelvin = l.colour.kelvin
  const mired = (k: number) => 1e6 / k
  const warm = Array.from({ length: 9 }, (_, i) => cssColour(temperature(warmth, 1e6 / (mired(1500) + ((mired(12000) - mired(1500)) * i) / 8))))
  const number = (label: string, field: 'radius' | 'range' | 'width' | 'height' | 'angle' | 'inner' | 'outer' | 'roll' | 'shadowMap', u: string, min: number, max: number, step: number, geometric = false, show?: (v: number) => string) => (
    <div className="field">
      <span className="label">{label}</span>
      <NumberField label={`${l.name} ${label.toLowerCase()}`} value={l[field]} unit={u} min={min} max={max} step={step} geometric={geometric} show={show} onDraft={(v, c) => deeds.number(id, l, field, v, u, false, c)} onDone={(v, c) => deeds.number(id, l, field, v, u, true, c)} />
    </div>
  )
  const area = l.kind === 'rect' || l.kind === 'disc'
  const local = l.kind === 'point' || l.kind === 'spot' || area
  return (
    <div className={`open-light${locked ? ' shut' : ''}`} role="region" aria-label={`${l.name}, opened`} inert={locked}>
      <div className="field wide">
        <span className="label">Warmth</span>
        {kelvin ? (
          <Slider
            className="warmth"
            size="small"
            track={false}
            sx={{ '& .MuiSlider-rail': { background: `linear-gradient(90deg, ${warm.join(', ')})` } }}
            min={-mired(1500)}
            max={-mired(12000)}
            step={0.5}
            value={-mired(Math.min(Math.max(kelvin, 1500), 12000))}
            getAriaLabel={() => `${l.name} warmth`}
            getAriaValueText={() => `${kelvin} kelvin`}
            onChange={(e, v) => deeds.kelvin(id, l, 1e6 / -(v as number), e.type === 'keydown')}
            onChangeCommitted={(e, v) => e.type !== 'keyup' && e.type !== 'keydown' && deeds.kelvin(id, l, 1e6 / -(v as number))}
          />
        ) : (
          <span className="pick">
            <input type="color" aria-label={`${l.name} colour`} value={toHex(cssColour(linear(warmth, l.colour)))} onChange={(e) => deeds.rgb(id, l, hexToLinear(e.target.value))} />
            <button type="button" className="word" onClick={() => deeds.kelvin(id, l, 4000)}>
              use a temperature
            </button>
          </span>
        )}
        {kelvin ? (
          <NumberField label={`${l.name} temperature`} value={kelvin} unit="K" min={800} max={25000} step={100} onDraft={(v, c) => deeds.kelvin(id, l, v, false, c)} onDone={(v, c) => deeds.kelvin(id, l, v, true, c)} />
        ) : (
          <span />
        )}
      </div>
      {kelvin ? (
        <div className="word-row">
          <button type="button" className="word" onClick={() => deeds.rgb(id, l, linear(warmth, l.colour))}>
            use a colour instead
          </button>
        </div>
      ) : null}
      <div className="field">
        <span className="label">Output</span>
        <NumberField label={`${l.name} output`} value={l.output} unit={unit} min={0} max={1e9} step={1.08} geometric onDraft={(v, c) => deeds.number(id, l, 'output', v, unit, false, c)} onDone={(v, c) => deeds.number(id, l, 'output', v, unit, true, c)} onStops={(s) => deeds.stops(id, l, l.stops + s)} />
      </div>
      <div className="field">
        <span className="label">Role</span>
        <input className="text" aria-label={`${l.name} role`} list="roles" defaultValue={l.role ?? ''} key={l.role} onKeyDown={(e) => e.key === 'Enter' && e.currentTarget.blur()} onBlur={(e) => deeds.role(id, l, e.target.value)} />
        <datalist id="roles">
          {['key', 'fill', 'rim', 'bounce', 'ambient', 'practical', 'accent'].map((r) => (
            <option key={r} value={r} />
          ))}
        </datalist>
      </div>
      {l.kind === 'sun' && number('Angle', 'angle', '°', 0, 20, 0.1)}
      {(l.kind === 'point' || l.kind === 'spot' || l.kind === 'disc') && number('Radius', 'radius', 'm', l.kind === 'disc' ? 0.001 : 0, 20, 0.01)}
      {l.kind === 'rect' && number('Width', 'width', 'm', 0.01, 100, 0.05)}
      {l.kind === 'rect' && number('Height', 'height', 'm', 0.01, 100, 0.05)}
      {l.kind === 'spot' && number('Inner cone', 'inner', '°', 0, l.outer, 1)}
      {l.kind === 'spot' && number('Outer cone', 'outer', '°', Math.max(l.inner, 0.1), 89, 1)}
      {local && number('Range', 'range', 'm', 0, 1000, 0.25, false, (v) => (v === 0 ? 'none' : String(Math.round(v * 100) / 100)))}
      <div className="field">
        <span className="label">Carry</span>
        <span className="choice" role="radiogroup" aria-label={`${l.name} carry`}>
          {(['baked', 'split', 'live'] as const).map((c) => (
            <button key={c} type="button" role="radio" aria-checked={l.carry === c} title={carries[c]} onClick={() => l.carry !== c && deeds.carry(id, l, c)}>
              {c}
            </button>
          ))}
        </span>
      </div>
      {(l.kind === 'rect' || l.kind === 'disc' || l.kind === 'spot') && number('Roll', 'roll', '°', -180, 180, 1)}
      {(local || l.kind === 'sun') && l.shadow ? number('Map', 'shadowMap', 'px', 16, 16384, 2, true, (v) => String(Math.round(v))) : null}
      {local || l.kind === 'sun' ? (
        <div className="field">
          <span className="label">Shadow</span>
          <span className="choice">
            <button type="button" role="switch" aria-checked={l.shadow} onClick={() => deeds.shadow(id, l)}>
              {l.shadow ? 'casts' : 'none'}
            </button>
          </span>
        </div>
      ) : null}
      {costs && l.carry !== 'baked' && (
        <p className="why">
          Reaches {(costs.pixels / 1e6).toFixed(2)} million pixels at the target
          {costs.faces ? `; ${costs.faces} shadow ${costs.faces === 1 ? 'face' : 'faces'} with ${costs.triangles.toLocaleString('en')} triangles: ${costs.shadowMs.toFixed(2)} of its ${costs.ms.toFixed(2)} ms, ${costs.mb.toFixed(1)} MB.` : '; no shadow to draw.'}
        </p>
      )}
      {l.carry === 'baked' && <p className="why">Baked: it lies in the lightmap, and costs nothing of its own each frame.</p>}
    </div>
  )
}

const carries = {
  baked: 'All of it in the lightmap: free each frame, does not light movers by itself',
  split: 'Direct light live with its shadow, bounced light baked',
  live: 'All of it worked out each frame: it may move',
}
