import { Button, MenuItem, Select } from '@mui/material'
import { useState } from 'react'
import type { FinalState, Order, Setup } from '../../api.gen'
import { entries } from '../../kernel/store'
import { Choice, OnOff } from '../../ui/Choice'
import { NumberField } from '../../ui/NumberField'
import { askFinals } from './queries'

/** sizes that frames are often wanted in. */
const sizes = [
  [640, 360],
  [1280, 720],
  [1920, 1080],
  [2560, 1440],
] as const

type What = 'view' | 'way' | 'camera'

/** counted is how many frames an order asks for, as the server counts them. */
export const counted = (seconds: number, rate: number) => (seconds === 0 ? 1 : Math.max(Math.round(seconds * rate), 1))

/** AskPart asks for frames of the view, of the way through several, or of a camera that travels. */
export function AskPart({ id, doc, view, state }: { id: number; doc: Setup; view: string; state: FinalState | undefined }) {
  const [what, setWhat] = useState<What>('view')
  const [way, setWay] = useState<string[]>([])
  const [camera, setCamera] = useState('')
  const [size, setSize] = useState('1280x720')
  const [numbers, set] = useState({ seconds: 4, rate: 24, samples: 64, passes: 4 })
  const [adapts, setAdapts] = useState(false)
  const cameras = state?.cameras ?? []
  const choose = (w: What) => {
    setWhat(w)
    // A camera of the place takes its own time, unless another is written.
    if (w === 'camera' && state && state.seconds > 0) set({ ...numbers, seconds: Math.round(state.seconds * 10) / 10 })
  }
  const [width = 0, height = 0] = size.split('x').map(Number)
  const goes = what !== 'view'
  const order: Order = {
    views: what === 'view' ? [view] : what === 'way' ? way : [],
    camera: what === 'camera' ? camera || (cameras[0] ?? '') : '',
    seconds: goes ? numbers.seconds : 0,
    rate: goes ? numbers.rate : 0,
    width,
    height,
    samples: Math.max(numbers.samples, numbers.passes),
    passes: numbers.passes,
    adapts: goes && adapts,
  }
  const many = counted(order.seconds, order.rate)
  const toggle = (v: string) => setWay(way.includes(v) ? way.filter((x) => x !== v) : [...way, v])
  return (
    <div className="final-ask" role="group" aria-label="Ask for final frames">
      <Choice
        label="Frames of"
        value={what}
        change={choose}
        options={[{ value: 'view', words: doc.views[view]?.name ?? 'this view', says: 'One frame of the view that is looked at' }, { value: 'way', words: 'way', says: 'A sequence from view to view' }, ...(cameras.length > 0 ? [{ value: 'camera' as const, words: 'camera', says: 'A sequence of a camera of the place that travels' }] : [])]}
      />
      {what === 'way' && (
        <p className="final-way" role="group" aria-label="Views of the way">
          {entries(doc.views).map(([v, d]) => (
            <Button key={v} className="word" aria-pressed={way.includes(v)} onClick={() => toggle(v)}>
              {way.includes(v) ? `${way.indexOf(v) + 1} ${d.name}` : d.name}
            </Button>
          ))}
        </p>
      )}
      {what === 'camera' && (
        <Select size="small" variant="standard" value={order.camera} inputProps={{ 'aria-label': 'Camera' }} onChange={(e) => setCamera(e.target.value)}>
          {cameras.map((c) => (
            <MenuItem key={c} value={c}>
              {c}
            </MenuItem>
          ))}
        </Select>
      )}
      <div className="final-numbers">
        {goes && <Count label="Seconds of the way" says="takes" unit="s" value={numbers.seconds} min={0.1} max={600} step={0.5} change={(v) => set({ ...numbers, seconds: Math.round(v * 10) / 10 })} />}
        {goes && <Count label="Frames a second" says="at" unit="/s" value={numbers.rate} min={1} max={120} step={1} change={(v) => set({ ...numbers, rate: Math.round(v) })} />}
        <label className="wide">
          <span className="quiet">size</span>
          <Select size="small" variant="standard" value={size} inputProps={{ 'aria-label': 'Size of the frames' }} onChange={(e) => setSize(e.target.value)}>
            {sizes.map(([w, h]) => (
              <MenuItem key={w} value={`${w}x${h}`}>
                {w} × {h}
              </MenuItem>
            ))}
          </Select>
        </label>
        <Count label="Samples of a pixel" says="samples" unit="" value={numbers.samples} min={1} max={4096} step={1.2} geometric change={(v) => set({ ...numbers, samples: Math.round(v) })} />
        <Count label="Passes" says="passes" unit="" value={numbers.passes} min={1} max={16} step={1} change={(v) => set({ ...numbers, passes: Math.round(v) })} />
      </div>
      <div className="final-go">
        {goes && <OnOff label="Exposure adapts along the way" on={adapts} words={adapts ? 'exposure adapts' : 'exposure is held'} says="As automatic exposure would follow the way, or as the views hold it" change={() => setAdapts(!adapts)} />}
        <Button variant="outlined" disabled={what === 'way' && way.length < 2} onClick={() => void askFinals(id, order)}>
          Make {many === 1 ? 'a frame' : `${many} frames`}
        </Button>
        {what === 'way' && way.length < 2 && <span className="quiet">Choose two views or more, in their order.</span>}
      </div>
    </div>
  )
}

function Count({ label, says, unit, value, min, max, step, geometric = false, change }: { label: string; says: string; unit: string; value: number; min: number; max: number; step: number; geometric?: boolean; change: (v: number) => void }) {
  const [draft, setDraft] = useState<number | null>(null)
  const done = (v: number) => {
    setDraft(null)
    change(v)
  }
  return (
    <label>
      <span className="quiet">{says}</span>
      <NumberField label={label} value={draft ?? value} unit={unit} min={min} max={max} step={step} geometric={geometric} show={(v) => String(Math.round(v * 10) / 10)} onDraft={setDraft} onDone={done} />
    </label>
  )
}
