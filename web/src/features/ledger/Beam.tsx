import { Button, ButtonBase } from '@mui/material'
import { useQuery } from '@tanstack/react-query'
import { useRef } from 'react'
import type { Doors, Gobo, Light, Polar, Profile } from '../../api.gen'
import { NumberField } from '../../ui/NumberField'
import { api, keepProfile, keepSlide, Refused } from '../../kernel/client'
import { complain, say } from '../../kernel/store'
import { lightEdits } from '../../kernel/lightEdits'
import { Tip } from '../../ui/Tip'
import { Choice } from '../../ui/Choice'

const refused = (e: unknown) => complain(e instanceof Refused ? e.fault : { what: 'The file could not be sent.', remedy: 'Try again.' })

/** Choose is a word that opens a file. */
function Choose({ words, label, accept, take }: { words: string; label: string; accept: string; take: (f: File) => void }) {
  const input = useRef<HTMLInputElement>(null)
  return (
    <>
      <Button className="word" onClick={() => input.current?.click()}>
        {words}
      </Button>
      <input
        ref={input}
        type="file"
        hidden
        accept={accept}
        aria-label={label}
        onChange={(e) => {
          const f = e.target.files?.[0]
          if (f) take(f)
          e.target.value = ''
        }}
      />
    </>
  )
}

/** polarPath draws intensities at every degree from -180 as a closed curve, straight down at 0. */
function polarPath(v: number[], r: number) {
  return `M ${v.map((k, i) => {
    const a = ((i - 180) * Math.PI) / 180
    return `${(r * k * Math.sin(a)).toFixed(1)} ${(r * k * Math.cos(a)).toFixed(1)}`
  }).join(' L ')} z`
}

function PolarCurve({ p }: { p: Polar }) {
  const r = 44
  return (
    <svg className="polar" viewBox="-50 -50 100 108" width={100} height={108} role="img" aria-label={`Polar curve, peak ${Math.round(p.peak)} candela`}>
      {[1, 2 / 3, 1 / 3].map((k) => (
        <circle key={k} r={r * k} className="ring" />
      ))}
      <path d={`M ${-r} 0 H ${r} M 0 ${-r} V ${r}`} className="ring" />
      <path d={polarPath(p.across, r)} className="across" />
      <path d={polarPath(p.along, r)} className="along" />
      <text y={56} textAnchor="middle">
        {Math.round(p.peak).toLocaleString('en')} cd
      </text>
    </svg>
  )
}

function ProfilePart({ id, l, p }: { id: string; l: Light; p: Profile }) {
  const curves = useQuery({ queryKey: ['curves', p.blob], queryFn: () => api.curves(p.blob), staleTime: Infinity })
  return (
    <div className="shaper" role="group" aria-label={`${l.name} profile`}>
      {curves.data && <PolarCurve p={curves.data} />}
      <div>
        <Tip title={p.file}>
          <p>{p.file}</p>
        </Tip>
        <p>
          {Math.round(p.flux).toLocaleString('en')} lm leave it
          {p.lamp > 0 ? `, ${Math.round((100 * p.flux) / p.lamp)} % of its lamps' ${Math.round(p.lamp).toLocaleString('en')}` : ', measured as a whole'}
          {p.watts > 0 ? `; ${Math.round(p.flux / p.watts)} lm/W` : ''}
        </p>
        <Choice
          label={`${l.name} profile strength`}
          value={p.scaled ? 'scaled' : 'measured'}
          options={[
            { value: 'measured', words: 'as measured', says: 'The intensities of the file' },
            { value: 'scaled', words: 'to its output', says: 'The form of the file, the output of this light' },
          ]}
          change={(v) => lightEdits.beam(id, l, 'profile', { ...p, scaled: v === 'scaled' }, v === 'scaled' ? 'profile scaled' : 'profile as measured')}
        />
        <div className="field">
          <span className="label">Turn</span>
          <NumberField label={`${l.name} profile turn`} value={p.turn} unit="°" min={-180} max={180} step={5} onDraft={(v) => lightEdits.beam(id, l, 'profile', { ...p, turn: v }, 'turned', false)} onDone={(v) => lightEdits.beam(id, l, 'profile', { ...p, turn: v }, 'profile turned')} />
        </div>
        <Button className="word" onClick={() => lightEdits.beam(id, l, 'profile', null, 'without profile')}>
          take it away
        </Button>
      </div>
    </div>
  )
}

function GoboPart({ id, l, g }: { id: string; l: Light; g: Gobo }) {
  const palette = useQuery({ queryKey: ['palette'], queryFn: api.palette, staleTime: Infinity })
  const set = (change: Partial<Gobo>, words: string, done = true) => lightEdits.beam(id, l, 'gobo', { ...g, ...change }, words, done)
  const number = (label: string, field: 'scale' | 'blur' | 'turn' | 'speed', unit: string, min: number, max: number, step: number, geometric = false) => (
    <div className="field">
      <span className="label">{label}</span>
      <NumberField label={`${l.name} gobo ${label.toLowerCase()}`} value={g[field]} unit={unit} min={min} max={max} step={step} geometric={geometric} onDraft={(v) => set({ [field]: v }, '', false)} onDone={(v) => set({ [field]: v }, `gobo ${label.toLowerCase()}`)} />
    </div>
  )
  return (
    <div className="shaper gobo" role="group" aria-label={`${l.name} gobo`}>
      <div className="slides">
        {palette.data?.patterns.map((p) => (
          <Tip key={p} title={p}>
            <ButtonBase aria-pressed={g.pattern === p} aria-label={`Gobo ${p}`} onClick={() => set({ pattern: p, blob: '', file: '' }, `gobo ${p}`)}>
              <img src={`/api/slides/${p}`} alt="" width={30} height={30} />
            </ButtonBase>
          </Tip>
        ))}
        {g.blob && (
          <Tip title={g.file}>
            <ButtonBase aria-pressed>
              <img src={`/api/slides/${g.blob}`} alt={g.file} width={30} height={30} />
            </ButtonBase>
          </Tip>
        )}
      </div>
      {number('Scale', 'scale', '×', 0.05, 20, 1.05, true)}
      {number('Blur', 'blur', '', 0, 1, 0.05)}
      {number('Turn', 'turn', '°', -360, 360, 5)}
      {number('Speed', 'speed', '°/s', -360, 360, 5)}
      <span className="wide">
        <Choose words="a picture of your own" label="Picture for the gobo" accept=".png,.jpg,.jpeg" take={(f) => void keepSlide(f).then((k) => set({ pattern: '', blob: k.blob, file: k.file }, `gobo ${k.file}`), refused)} />{' '}
        <Button className="word" onClick={() => lightEdits.beam(id, l, 'gobo', null, 'without gobo')}>
          take it away
        </Button>
      </span>
    </div>
  )
}

const leaves = ['top', 'bottom', 'left', 'right'] as const

function DoorsPart({ id, l, d }: { id: string; l: Light; d: Doors }) {
  const set = (change: Partial<Doors>, words: string, done = true) => lightEdits.beam(id, l, 'doors', { ...d, ...change }, words, done)
  return (
    <div className="shaper doors" role="group" aria-label={`${l.name} barn doors`}>
      {leaves.map((k) => (
        <div key={k} className="field">
          <span className="label">{k[0]?.toUpperCase() + k.slice(1)}</span>
          <NumberField label={`${l.name} ${k} door`} value={d[k]} unit="°" min={-89} max={90} step={2} onDraft={(v) => set({ [k]: v }, '', false)} onDone={(v) => set({ [k]: v }, `${k} door ${Math.round(v)}°`)} />
        </div>
      ))}
      <div className="field">
        <span className="label">Length</span>
        <NumberField label={`${l.name} door length`} value={d.length} unit="m" min={0.005} max={20} step={1.05} geometric onDraft={(v) => set({ length: v }, '', false)} onDone={(v) => set({ length: v }, 'door length')} />
      </div>
      <span className="wide">
        <Button className="word" onClick={() => lightEdits.beam(id, l, 'doors', null, 'without barn doors')}>
          take them away
        </Button>
      </span>
    </div>
  )
}

/** Beam is what stands before a lamp: a measured profile, a gobo, barn doors. */
export function Beam({ id, l }: { id: string; l: Light }) {
  const profile = (l.kind === 'point' && !l.length) || l.kind === 'spot'
  const gobo = l.kind === 'spot'
  const doors = l.kind === 'spot' || l.kind === 'rect'
  if (!profile && !doors) return null
  const size = l.kind === 'rect' ? Math.max(l.width, l.height) / 2 : Math.max(3 * l.radius, 0.12)
  return (
    <>
      {profile && l.profile && <ProfilePart id={id} l={l} p={l.profile} />}
      {gobo && l.gobo && <GoboPart id={id} l={l} g={l.gobo} />}
      {doors && l.doors && <DoorsPart id={id} l={l} d={l.doors} />}
      <div className="word-row">
        <span className="label">Before it</span>
        {profile && !l.profile && (
          <Choose
            words="IES profile"
            label={`${l.name} IES file`}
            accept=".ies"
            take={(f) =>
              void keepProfile(f).then((k) => {
                lightEdits.beam(id, l, 'profile', { blob: k.blob, file: k.file, turn: 0, flux: k.flux, lamp: k.lamp, watts: k.watts, scaled: false }, `profile ${k.file}`)
                if (k.notes[0]) say(`${k.file}: ${k.notes[0]}.`)
              }, refused)
            }
          />
        )}
        {gobo && !l.gobo && (
          <Button className="word" onClick={() => lightEdits.beam(id, l, 'gobo', { pattern: 'panes', scale: 1, blur: 0.1, turn: 0, speed: 0 }, 'gobo panes')}>
            gobo
          </Button>
        )}
        {doors && !l.doors && (
          <Button className="word" onClick={() => lightEdits.beam(id, l, 'doors', { top: 40, bottom: 40, left: 40, right: 40, length: Math.round(size * 100) / 100 }, 'barn doors')}>
            barn doors
          </Button>
        )}
      </div>
    </>
  )
}
