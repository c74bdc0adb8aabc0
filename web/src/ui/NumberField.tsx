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

/** Scale is how a field's value changes: by steps between its ends, and another light's value with it. */
interface Scale {
  clamp: (v: number) => number
  by: (from: number, steps: number) => number
  like: (from: number, v: number) => (x: number) => number
}

function scaleOf({ min, max, step, geometric }: Props): Scale {
  const clamp = (v: number) => Math.min(Math.max(v, min), max)
  return {
    clamp,
    by: (from, steps) => clamp(geometric ? (from || min || 1e-3) * step ** steps : from + step * steps),
    like: (from, v) => (geometric && from > 0 ? (x) => clamp((x * v) / from) : (x) => clamp(x + v - from)),
  }
}

/** useNudge gathers the turns of a wheel or of a held key into one gesture. */
function useNudge(p: Props, scale: Scale) {
  const nudge = useRef<{ from: number; last: number; era: number; timer: ReturnType<typeof setTimeout> } | null>(null)
  const now = useRef({ onDone: p.onDone, like: scale.like })
  now.current = { onDone: p.onDone, like: scale.like }
  const settle = () => {
    const n = nudge.current
    nudge.current = null
    if (!n) return
    clearTimeout(n.timer)
    if (n.era === eraNow()) now.current.onDone(n.last, now.current.like(n.from, n.last))
  }
  const push = (steps: number) => {
    const n = nudge.current ?? { from: p.value, last: p.value, era: eraNow(), timer: setTimeout(settle, rest) }
    if (n.era !== eraNow()) return
    n.last = scale.by(n.last, steps)
    clearTimeout(n.timer)
    n.timer = setTimeout(settle, rest)
    nudge.current = n
    p.onDraft(n.last, scale.like(n.from, n.last))
  }
  // A field that goes away keeps what its keys have done.
  useEffect(() => settle, [])
  return { push, settle }
}

/** useScrub changes the value by a drag sideways; a press that does not move goes into the field. */
function useScrub(p: Props, scale: Scale, input: React.RefObject<HTMLInputElement | null>) {
  const drag = useRef<{ x: number; from: number; moved: boolean; last: number; era: number } | null>(null)
  const drop = () => {
    if (drag.current?.moved) draft([])
    drag.current = null
  }
  useEffect(() => drop, [])
  return {
    onPointerDown: (e: React.PointerEvent) => {
      if (document.activeElement === input.current) return
      e.preventDefault()
      e.currentTarget.setPointerCapture(e.pointerId)
      drag.current = { x: e.clientX, from: p.value, moved: false, last: p.value, era: eraNow() }
    },
    onPointerMove: (e: React.PointerEvent) => {
      const d = drag.current
      if (!d || d.era !== eraNow()) return
      const px = e.clientX - d.x
      if (!d.moved && Math.abs(px) < 3) return
      d.moved = true
      d.last = scale.by(d.from, (px / 8) * (e.shiftKey ? 0.1 : 1))
      p.onDraft(d.last, scale.like(d.from, d.last))
    },
    onPointerUp: () => {
      const d = drag.current
      drag.current = null
      if (!d || d.era !== eraNow()) return
      if (d.moved) p.onDone(d.last, scale.like(d.from, d.last))
      else input.current?.focus()
    },
    onPointerCancel: drop,
  }
}

/** useTyped is what is being typed, until it is a number that the field takes. */
function useTyped(p: Props, { clamp }: Scale, settle: () => void) {
  const { value, show = tidy, onStops } = p
  const [text, setText] = useState<string | null>(null)
  const [wrong, setWrong] = useState(false)
  const put = (t: string | null) => {
    setText(t)
    setWrong(false)
  }
  const fits = (r: Reading | null): r is Reading => r !== null && (r.stops === undefined || onStops !== undefined)
  const commit = () => {
    settle()
    const r = text === null ? null : readNumber(text, value)
    if (fits(r)) {
      if (r.stops !== undefined) onStops?.(r.stops)
      else if (text !== show(value)) p.onDone(clamp(r.value), (x) => clamp(r.change(x)))
    }
    put(null)
  }
  const becoming = text !== null && text !== show(value) ? becomes(readNumber(text, value), text, p.others?.() ?? [], show, clamp) : ''
  return { text, put, wrong, refuse: () => setWrong(true), able: () => text === null || fits(readNumber(text, value)), commit, becoming }
}

/** NumberField takes an expression in which v is the present value, and units; drag sideways, wheel and arrows step; a double click resets. A drag, a held key and a turn of the wheel are one gesture each. */
export function NumberField(props: Props) {
  const { label, value, unit, show = tidy, others, onReset } = props
  const input = useRef<HTMLInputElement>(null)
  const scale = scaleOf(props)
  const { push, settle } = useNudge(props, scale)
  const scrub = useScrub(props, scale, input)
  const typed = useTyped(props, scale, settle)
  const { text, wrong, becoming } = typed
  const step = (steps: number) => {
    typed.put(null)
    push(steps)
  }
  const keys = (e: React.KeyboardEvent) => {
    const field = e.target as HTMLElement
    e.stopPropagation()
    if (e.key === 'Enter') {
      // Leaving the field keeps what is typed: once.
      if (typed.able()) giveBack(field)
      else typed.refuse()
    } else if (e.key === 'Escape') {
      typed.put(null)
      requestAnimationFrame(() => giveBack(field)) // once nothing is typed any more
    } else if (e.key === 'ArrowUp' || e.key === 'ArrowDown') {
      e.preventDefault()
      step((e.key === 'ArrowUp' ? 1 : -1) * (e.shiftKey ? 0.1 : 1))
    }
  }
  const attributes = {
    'aria-label': unit ? `${label} in ${unit}` : label,
    'aria-invalid': wrong,
    onWheel: (e: React.WheelEvent) => document.activeElement === input.current && step((e.deltaY < 0 ? 1 : -1) * (e.shiftKey ? 0.1 : 1)),
    ...scrub,
  }
  return (
    <span className={`number${wrong ? ' wrong' : ''}`}>
      <Tip title={wrong ? 'Write a number, an expression such as v*2 or v+1/3 (v is the present value), or a unit.' : undefined}>
        <InputBase
          inputRef={input}
          error={wrong}
          value={text ?? show(value)}
          onChange={(e) => typed.put(e.target.value)}
          onFocus={(e) => e.target.select()}
          onBlur={typed.commit}
          onKeyDown={keys}
          onKeyUp={(e) => (e.key === 'ArrowUp' || e.key === 'ArrowDown') && settle()}
          onDoubleClick={() => onReset?.()}
          slotProps={{ input: attributes }}
        />
      </Tip>
      <Mixed show={show} value={value} others={others} />
      {unit && <span className="unit">{unit}</span>}
      {becoming && (
        <span className={`becomes${becoming === 'no number' ? ' wrong' : ''}`} role="status">
          {becoming}
        </span>
      )}
    </span>
  )
}

/** Mixed marks a field whose other lights have other values. */
function Mixed({ show, value, others }: { show: (v: number) => string; value: number; others?: () => number[] }) {
  const apart = (others?.() ?? []).map(show).filter((o) => o !== show(value))
  if (apart.length === 0) return null
  return (
    <Tip title={`The others that are chosen with it: ${[...new Set(apart)].slice(0, 6).join(', ')}`}>
      <span className="mixed" aria-label="mixed">
        ≠
      </span>
    </Tip>
  )
}
