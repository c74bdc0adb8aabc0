import { InputBase } from '@mui/material'
import { useEffect, useRef, useState } from 'react'
import { draft, eraNow } from '../kernel/store'
import { becomes, giveBack, readNumber, tidy, type Reading } from '../kernel/number'
import { Tip } from './Tip'

interface Props {
  label: string
  value: number
  unit?: string
  min: number
  max: number
  /** One step of the wheel or an arrow key; Shift makes it a tenth. A factor where geometric. */
  step: number
  geometric?: boolean
  show?: (v: number) => string
  /** The values of the other lights that are edited with this one. */
  others?: () => number[]
  /** While it changes under the hand. change does the same to another value, from where that began: lights edited together keep their differences. */
  onDraft: (v: number, change: (x: number) => number) => void
  onDone: (v: number, change: (x: number) => number) => void
  onStops?: (stops: number) => void
  onReset?: () => void
}

/** How long the wheel or a key rests before the gesture is over. */
const rest = 500

/** NumberField takes an expression in which v is the present value, and units; drag sideways, wheel and arrows step; a double click resets. A drag, a held key and a turn of the wheel are one gesture each. */
export function NumberField({ label, value, unit, min, max, step, geometric, show = tidy, others, onDraft, onDone, onStops, onReset }: Props) {
  const [text, setText] = useState<string | null>(null)
  const [wrong, setWrong] = useState(false)
  const drag = useRef<{ x: number; from: number; moved: boolean; last: number; era: number } | null>(null)
  const nudge = useRef<{ from: number; last: number; era: number; timer: ReturnType<typeof setTimeout> } | null>(null)
  const done = useRef(onDone)
  done.current = onDone
  const input = useRef<HTMLInputElement>(null)
  const clamp = (v: number) => Math.min(Math.max(v, min), max)
  const by = (from: number, steps: number) => clamp(geometric ? (from || min || 1e-3) * step ** steps : from + step * steps)
  const like = (from: number, v: number) => (geometric && from > 0 ? (x: number) => clamp((x * v) / from) : (x: number) => clamp(x + v - from))
  const likeRef = useRef(like)
  likeRef.current = like

  const settle = () => {
    const n = nudge.current
    nudge.current = null
    if (!n) return
    clearTimeout(n.timer)
    if (n.era === eraNow()) done.current(n.last, likeRef.current(n.from, n.last))
  }
  const push = (steps: number) => {
    setText(null)
    setWrong(false)
    const n = nudge.current ?? { from: value, last: value, era: eraNow(), timer: setTimeout(settle, rest) }
    if (n.era !== eraNow()) return
    n.last = by(n.last, steps)
    clearTimeout(n.timer)
    n.timer = setTimeout(settle, rest)
    nudge.current = n
    onDraft(n.last, like(n.from, n.last))
  }
  // A field that goes away keeps what its keys have done, and drops a drag.
  useEffect(
    () => () => {
      settle()
      if (drag.current?.moved) draft([])
      drag.current = null
    },
    [],
  )

  const fits = (r: Reading | null): r is Reading => r !== null && (r.stops === undefined || onStops !== undefined)
  const commit = () => {
    settle()
    if (text === null) return true
    const r = readNumber(text, value)
    if (!fits(r)) {
      setWrong(true)
      return false
    }
    setText(null)
    setWrong(false)
    if (r.stops !== undefined) onStops?.(r.stops)
    else if (text !== show(value)) onDone(clamp(r.value), (x) => clamp(r.change(x)))
    return true
  }
  const typed = text !== null && text !== show(value) ? becomes(readNumber(text, value), text, others?.() ?? [], show, clamp) : ''

  const apart = (others?.() ?? []).map(show).filter((o) => o !== show(value))
  const mixed = apart.length > 0 ? [...new Set(apart)].slice(0, 6).join(', ') : ''

  return (
    <span className={`number${wrong ? ' wrong' : ''}`}>
      <Tip title={wrong ? 'Write a number, an expression such as v*2 or v+1/3 (v is the present value), or a unit.' : undefined}>
        <InputBase
          inputRef={input}
          error={wrong}
          value={text ?? show(value)}
          onChange={(e) => {
            setText(e.target.value)
            setWrong(false)
          }}
          onFocus={(e) => e.target.select()}
          onBlur={() => {
            if (!commit()) {
              setText(null)
              setWrong(false)
            }
          }}
          onKeyDown={(e) => {
            e.stopPropagation()
            if (e.key === 'Enter') {
              // Leaving the field keeps what is typed: once.
              if (text === null || fits(readNumber(text, value))) giveBack(e.target as HTMLElement)
              else setWrong(true)
            } else if (e.key === 'Escape') {
              const field = e.target as HTMLElement
              setText(null)
              setWrong(false)
              requestAnimationFrame(() => giveBack(field)) // once nothing is typed any more
            } else if (e.key === 'ArrowUp' || e.key === 'ArrowDown') {
              e.preventDefault()
              push((e.key === 'ArrowUp' ? 1 : -1) * (e.shiftKey ? 0.1 : 1))
            }
          }}
          onKeyUp={(e) => (e.key === 'ArrowUp' || e.key === 'ArrowDown') && settle()}
          onDoubleClick={() => onReset?.()}
          slotProps={{
            input: {
              'aria-label': unit ? `${label} in ${unit}` : label,
              'aria-invalid': wrong,
              onWheel: (e: React.WheelEvent) => document.activeElement === input.current && push((e.deltaY < 0 ? 1 : -1) * (e.shiftKey ? 0.1 : 1)),
              onPointerDown: (e: React.PointerEvent) => {
            if (document.activeElement === input.current) return
            e.preventDefault()
            e.currentTarget.setPointerCapture(e.pointerId)
            drag.current = { x: e.clientX, from: value, moved: false, last: value, era: eraNow() }
          },
              onPointerMove: (e: React.PointerEvent) => {
            const d = drag.current
            if (!d || d.era !== eraNow()) return
            const px = e.clientX - d.x
            if (!d.moved && Math.abs(px) < 3) return
            d.moved = true
            d.last = by(d.from, (px / 8) * (e.shiftKey ? 0.1 : 1))
            onDraft(d.last, like(d.from, d.last))
          },
              onPointerUp: () => {
            const d = drag.current
            drag.current = null
            if (!d || d.era !== eraNow()) return
            if (d.moved) onDone(d.last, like(d.from, d.last))
            else input.current?.focus()
          },
              onPointerCancel: () => {
            if (drag.current?.moved) draft([])
            drag.current = null
          },
            },
          }}
        />
      </Tip>
      {mixed && (
        <Tip title={`The others that are chosen with it: ${mixed}`}>
          <span className="mixed" aria-label="mixed">
            ≠
          </span>
        </Tip>
      )}
      {unit && <span className="unit">{unit}</span>}
      {typed && (
        <span className={`becomes${typed === 'no number' ? ' wrong' : ''}`} role="status">
          {typed}
        </span>
      )}
    </span>
  )
}
