import { Fragment } from 'react'
import type { Grade, Hue } from '../../api.gen'
import { hueRanges } from '../../kernel/grade'
import { setGrade } from '../../kernel/gradeEdits'
import { NumberField } from '../../ui/NumberField'

const plain: Hue = { turn: 0, saturation: 1 }
const inks = ['#c8625a', '#c2ab4f', '#77a45c', '#58a3a3', '#6f86cf', '#b06aa8']

/** withHue is the ranges of hue with one of them otherwise; left out where nothing is done to any. */
function withHue(g: Grade, i: number, part: Partial<Hue>): Grade['hues'] {
  const next = hueRanges.map((_, k) => ({ ...(g.hues?.[k] ?? plain), ...(k === i ? part : {}) }))
  return next.every((h) => h.turn === 0 && h.saturation === 1) ? undefined : (next as Grade['hues'])
}

/** HuePart is hue and saturation by range. */
export function HuePart({ g }: { g: Grade }) {
  return (
    <div className="air-part" role="group" aria-label="Hues">
      <h2>Hues</h2>
      <div className="hues">
        {hueRanges.map((name, i) => {
          const h = g.hues?.[i] ?? plain
          const Name = name[0]?.toUpperCase() + name.slice(1)
          const set = (part: Partial<Hue>, label: string, done: boolean) => setGrade({ hues: withHue(g, i, part) }, label, done)
          return (
            <Fragment key={name}>
              <span className="label">
                <i style={{ background: inks[i] }} />
                {Name}
              </span>
              <NumberField label={`${Name}, turn`} value={h.turn} unit="° turned" min={-60} max={60} step={1} show={(v) => v.toFixed(0)} onDraft={(v) => set({ turn: v }, '', false)} onDone={(v) => set({ turn: v }, `${Name} turned by ${v.toFixed(0)}°`, true)} onReset={() => set({ turn: 0 }, `${Name} as they were`, true)} />
              <NumberField label={`${Name}, saturation`} value={h.saturation} unit="saturation" min={0} max={4} step={0.05} show={(v) => v.toFixed(2)} onDraft={(v) => set({ saturation: v }, '', false)} onDone={(v) => set({ saturation: v }, `Saturation of ${name} ${v.toFixed(2)}`, true)} onReset={() => set({ saturation: 1 }, `Saturation of ${name} as it was`, true)} />
            </Fragment>
          )
        })}
      </div>
    </div>
  )
}
