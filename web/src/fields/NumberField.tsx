import { useRef, useState } from 'react'
import { readNumber, tidy } from './number'

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
  /** While it changes under the hand. change does the same to another value: lights edited together keep their differences. */
  onDraft: (v: number, change: (x: number) => number) => void
  onDone: (v: number, change: (x: number) => number) => void
  onStops?: (stops: number) => void
  onReset?: () => void
}

/** NumberField takes arithmetic and units; drag sideways, wheel and arrows step; a double click resets. */
export function NumberField({ label, value, unit, min, max, step, geometric, show = tidy, onDraft, onDone, onStops, onReset }: Props) {
  const [text, setText] = useState<string | null>(null)
  const [wrong, setWrong] = useState(false)
  const drag = useRef<{ x: number; from: number; moved: boolean; last: number } | null>(null)
  const wheel = useRef<ReturnType<typeof setTimeout> | undefined>(undefined)
  const input = useRef<HTMLInputElement>(null)
  const clamp = (v: number) => Math.min(Math.max(v, min), max)
  const by = (from: number, steps: number) => clamp(geometric ? (from || min || 1e-3) * step ** steps : from + step * steps)

  const like = (v: number) => (geometric && value > 0 ? (x: number) => clamp((x * v) / value) : (x: number) => clamp(x + v - value))

  const commit = () => {
    if (text === null) return true
    const r = readNumber(text, value)
    if (!r) {
      setWrong(true)
      return false
    }
    setText(null)
    setWrong(false)
    if (r.stops !== undefined && onStops) onStops(r.stops)
    else if (clamp(r.value) !== value) onDone(clamp(r.value), (x) => clamp(r.change(x)))

    return true
  }

  return (
    <span className={`number${wrong ? ' wrong' : ''}`}>
      <input
        ref={input}
        aria-label={unit ? `${label} in ${unit}` : label}
        aria-invalid={wrong}
        title={wrong ? 'Write a number, arithmetic such as *2 or +1/3, or a unit.' : undefined}
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
          if (e.key === 'Enter') {
            if (commit()) input.current?.select()
          } else if (e.key === 'Escape') {
            setText(null)
            setWrong(false)
            input.current?.blur()
          } else if (e.key === 'ArrowUp' || e.key === 'ArrowDown') {
            e.preventDefault()
            setText(null)
            const v = by(value, (e.key === 'ArrowUp' ? 1 : -1) * (e.shiftKey ? 0.1 : 1))
            onDone(v, like(v))
          }
          e.stopPropagation()
        }}
        onDoubleClick={() => onReset?.()}
        onWheel={(e) => {
          if (document.activeElement !== input.current) return
          const v = by(value, (e.deltaY < 0 ? 1 : -1) * (e.shiftKey ? 0.1 : 1))
          setText(null)
          onDraft(v, like(v))
          clearTimeout(wheel.current)
          wheel.current = setTimeout(() => onDone(v, like(v)), 350)
        }}
        onPointerDown={(e) => {
          if (document.activeElement === input.current) return
          e.preventDefault()
          e.currentTarget.setPointerCapture(e.pointerId)
          drag.current = { x: e.clientX, from: value, moved: false, last: value }
        }}
        onPointerMove={(e) => {
          const d = drag.current
          if (!d) return
          const px = e.clientX - d.x
          if (!d.moved && Math.abs(px) < 3) return
          d.moved = true
          d.last = by(d.from, (px / 8) * (e.shiftKey ? 0.1 : 1))
          onDraft(d.last, like(d.last))
        }}
        onPointerUp={() => {
          const d = drag.current
          drag.current = null
          if (!d) return
          if (d.moved) onDone(d.last, like(d.last))
          else input.current?.focus()
        }}
      />
      {unit && <span className="unit">{unit}</span>}
    </span>
  )
}
