import { useRef, useState } from 'react'
import { useSetup } from '../../kernel/store'

/** Size of the grid in which places are painted, as Go's exposure package has it. */
const wide = 32
const high = 18

const rowsOf = (rows: number[] | undefined) => Array.from({ length: high }, (_, y) => rows?.[y] ?? 0)
const has = (rows: number[], x: number, y: number) => ((rows[y] ?? 0) >>> x) & 1
const withBit = (rows: number[], x: number, y: number, on: boolean) => rows.map((r, i) => (i !== y ? r : (on ? r | (1 << x) : r & ~(1 << x)) >>> 0))

/** count is how many places are painted. */
export const count = (rows: number[]) => rows.reduce((n, r) => n + [...r.toString(2)].filter((b) => b === '1').length, 0)

/** Painted is the places that are metered, painted over the view's small picture: what a press begins with, it paints or takes away. */
export function Painted({ value, set }: { value: number[] | undefined; set: (v: number[], done: boolean | 'held') => void }) {
  const rows = rowsOf(value)
  const id = useSetup((s) => s.id)
  const view = useSetup((s) => s.view)
  const f = useSetup((s) => s.figures[s.view])
  const [at, setAt] = useState({ x: 16, y: 9 })
  const [focused, setFocused] = useState(false)
  const stroke = useRef<{ rows: number[]; on: boolean } | null>(null)
  const cell = (e: React.PointerEvent) => {
    const r = e.currentTarget.getBoundingClientRect()
    return { x: Math.min(Math.max(Math.floor(((e.clientX - r.left) / r.width) * wide), 0), wide - 1), y: Math.min(Math.max(Math.floor(((e.clientY - r.top) / r.height) * high), 0), high - 1) }
  }
  const paint = (e: React.PointerEvent) => {
    const s = stroke.current
    if (!s) return
    const c = cell(e)
    s.rows = withBit(s.rows, c.x, c.y, s.on)
    set(s.rows, false)
  }
  const keys = (e: React.KeyboardEvent) => {
    const by = { ArrowRight: [1, 0], ArrowLeft: [-1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[e.key]
    if (by) setAt({ x: (at.x + (by[0] ?? 0) + wide) % wide, y: (at.y + (by[1] ?? 0) + high) % high })
    else if (e.key === ' ' || e.key === 'Enter') set(withBit(rows, at.x, at.y, !has(rows, at.x, at.y)), 'held')
    else return
    e.preventDefault()
    e.stopPropagation()
  }
  const cells = rows.flatMap((_, y) => Array.from({ length: wide }, (_, x) => x).filter((x) => has(rows, x, y)).map((x) => `M${x} ${y}h1v1h-1z`))
  return (
    <svg
      className="painted" viewBox={`0 0 ${wide} ${high}`} preserveAspectRatio="none" role="application" tabIndex={0}
      aria-label={`What is metered, painted: ${cells.length} of ${wide * high} places. Arrows go about, Space paints`}
      style={f && f.thumb > 0 ? { backgroundImage: `url(/api/setups/${id}/thumbs/${view}?v=${f.revision}-${f.thumb})` } : undefined}
      onFocus={() => setFocused(true)} onBlur={() => setFocused(false)} onKeyDown={keys}
      onPointerDown={(e) => {
        if (e.button !== 0) return
        e.currentTarget.setPointerCapture(e.pointerId)
        const c = cell(e)
        stroke.current = { rows, on: !has(rows, c.x, c.y) }
        paint(e)
      }}
      onPointerMove={paint}
      onPointerUp={() => {
        if (stroke.current) set(stroke.current.rows, true)
        stroke.current = null
      }}
      onPointerCancel={() => (stroke.current = null)}
    >
      <path d={cells.join('')} />
      {focused && <rect x={at.x} y={at.y} width={1} height={1} />}
    </svg>
  )
}
