import { Slider } from '@mui/material'
import { useRef, useState } from 'react'
import { becomes, giveBack, readNumber, stopsText } from '../../kernel/number'
import { eraNow } from '../../kernel/store'
import type { Way } from '../../kernel/lightEdits'
import { Text } from '../../ui/Text'

interface Props {
  current: boolean
  name: string
  value: number
  change: (v: number, done: Way) => void
  locked: boolean
  others?: () => number[]
}

/** Stops is a slider round nought and its number. */
export function Stops({ name, value, change, locked, others, current }: Props) {
  const [held, setHeld] = useState(false)
  // Where the knob was taken: until the hand has moved, it has changed nothing.
  const taken = useRef<{ x: number; era: number } | null>(null)
  const still = (e: Event) => {
    const t = taken.current
    if (t && e instanceof MouseEvent && Math.abs(e.clientX - t.x) > 2) t.x = Infinity
    return t !== null && t.x !== Infinity
  }
  const era = useRef(0)
  return (
    <>
      <span role="gridcell" className="stops-cell">
        <Slider
          slotProps={{ input: { tabIndex: current ? 0 : -1 } }}
          className="stops"
          size="small"
          track={false}
          disabled={locked}
          marks={[{ value: 0 }]}
          min={-4}
          max={4}
          step={held ? 0.01 : 0.1}
          value={Math.min(Math.max(value, -4), 4)}
          getAriaLabel={() => `${name} stops`}
          getAriaValueText={(v) => `${stopsText(v)} stops`}
          onPointerDownCapture={(e) => {
            era.current = eraNow()
            taken.current = (e.target as Element).closest('.MuiSlider-thumb') ? { x: e.clientX, era: eraNow() } : null
          }}
          onKeyDown={(e) => setHeld(e.shiftKey)}
          onChange={(e, v) => {
            if (e.type === 'keydown') change(v as number, 'held')
            else if (era.current === eraNow() && !still(e)) change(v as number, false)
          }}
          onChangeCommitted={(e, v) => {
            const idle = still(e as Event)
            taken.current = null
            if (e.type !== 'keyup' && e.type !== 'keydown' && !idle && era.current === eraNow()) change(v as number, true)
          }}
          onDoubleClick={() => change(0, true)}
        />
      </span>
      <StopsNumber current={current} name={name} value={value} change={change} locked={locked} others={others} />
    </>
  )
}

function StopsNumber({ name, value, change, locked, others, current }: Props) {
  const [text, setText] = useState<string | null>(null)
  const commit = () => {
    if (text === null || text === stopsText(value)) return true
    const r = readNumber(text, value)
    if (!r) return false
    change(r.stops !== undefined ? value + r.stops : r.value, true)
    return true
  }
  const typed = text !== null && text !== stopsText(value) ? becomes(readNumber(text, value), text, others?.() ?? [], stopsText, (v) => Math.min(Math.max(v, -10), 10)) : ''
  return (
    <span className="stops-box" role="gridcell">
      <Text
        attributes={{ tabIndex: current ? 0 : -1 }}
        className="stops-text"
        label={`${name} stops, number`}
        readOnly={locked}
        value={text ?? stopsText(value)}
        onFocus={(e) => {
          setText(stopsText(value))
          e.target.select()
        }}
        onChange={(e) => setText(e.target.value)}
        onBlur={() => {
          commit()
          setText(null)
        }}
        onKeyDown={(e) => {
          e.stopPropagation()
          if (e.key === 'Escape') {
            setText(null)
            requestAnimationFrame(() => giveBack(box(e.target)))
          }
          if (e.key === 'Enter' && readNumber(text ?? '', value)) giveBack(box(e.target))
        }}
      />
      {typed && (
        <span className={`becomes${typed === 'no number' ? ' wrong' : ''}`} role="status">
          {typed}
        </span>
      )}
    </span>
  )
}

const box = (t: EventTarget) => t as HTMLElement
