import { Button } from '@mui/material'
import { useRef, useState } from 'react'
import type { Curves, Grade } from '../../api.gen'
import { flat, through, type Point } from '../../kernel/curves'
import { setGrade } from '../../kernel/gradeEdits'
import { draft } from '../../kernel/store'
import { useDrag } from '../../picture/drag'
import { Choice } from '../../ui/Choice'
import { NumberField } from '../../ui/NumberField'

type Name = keyof Curves
const names: Name[] = ['all', 'red', 'green', 'blue']
const inks = { all: '#e6e6e6', red: '#e0705f', green: '#86b86b', blue: '#7f9fe0' }

/** Size of the drawing, in pixels of its own. */
const wide = 300
const high = 150
const apart = 0.01
const most = 16

const ends: Point[] = [[0, 0], [1, 1]]
const two = (v: number) => Math.round(v * 1000) / 1000
const within = (v: number, lo: number, hi: number) => Math.min(Math.max(v, lo), hi)

/** withCurve is the curves with one of them through other points; one that changes nothing is left out. */
function withCurve(curves: Curves, name: Name, points: Point[]): Curves | undefined {
  const plain = points.length === 2 && points.every((p, i) => p[0] === i && p[1] === i)
  const next = { ...curves, [name]: plain ? undefined : points.map((p) => [two(p[0]), two(p[1])]) } as Curves
  return flat(next) ? undefined : next
}

/** moved puts a point elsewhere, between those beside it. */
const moved = (points: Point[], i: number, to: Point): Point[] => points.map((p, k) => (k === i ? [within(to[0], (points[i - 1]?.[0] ?? -apart) + apart, (points[i + 1]?.[0] ?? 1 + apart) - apart), within(to[1], 0, 1)] : p))

/** CurvePart bends what is shown by curves through points. */
export function CurvePart({ g }: { g: Grade }) {
  const [name, setName] = useState<Name>('all')
  const [chosen, setChosen] = useState(0)
  const curves = g.curves ?? {}
  const points: Point[] = curves[name] ?? ends
  const at = Math.min(chosen, points.length - 1)
  const put = (next: Point[], done: boolean | 'held') => setGrade({ curves: withCurve(curves, name, next) }, `Curve of ${name}`, done)
  const here = points[at] as Point
  const take = () => {
    put(points.filter((_, k) => k !== at), true)
    setChosen(Math.max(at - 1, 0))
  }
  const number = (k: 0 | 1, label: string) => {
    const to = (v: number): Point[] => moved(points, at, k === 0 ? [v / 100, here[1]] : [here[0], v / 100])
    return <NumberField label={`Point, ${label}`} value={two(here[k]) * 100} unit={`% ${label}`} min={0} max={100} step={1} show={(v) => v.toFixed(1)} onDraft={(v) => put(to(v), false)} onDone={(v) => put(to(v), true)} />
  }
  return (
    <div className="air-part" role="group" aria-label="Curves">
      <div className="air-head">
        <h2>Curves</h2>
        <Choice label="Curve of" value={name} options={names.map((n) => ({ value: n, words: curves[n] ? <b>{n}</b> : n, says: `The curve of ${n === 'all' ? 'all three primaries' : n}` }))} change={(n) => (setName(n), setChosen(0))} />
      </div>
      <Drawing name={name} curves={curves} points={points} chosen={at} choose={setChosen} put={put} take={points.length > 2 ? take : null} />
      <div className="field-row">
        {number(0, 'shown')}
        {number(1, 'becomes')}
        <Button className="word" disabled={points.length < 3} onClick={take}>
          take the point out
        </Button>
      </div>
    </div>
  )
}

interface DrawingProps {
  name: Name
  curves: Curves
  points: Point[]
  chosen: number
  choose: (i: number) => void
  put: (points: Point[], done: boolean | 'held') => void
  /** Takes the chosen point out, where one may go. */
  take: (() => void) | null
}

const lineOf = (points: readonly Point[] | undefined) => `M${Array.from({ length: 101 }, (_, i) => `${((i / 100) * wide).toFixed(1)} ${((1 - through(points, i / 100)) * high).toFixed(1)}`).join('L')}`

/** Drawing is the curve with its points: a press on it adds one, keys move the chosen one. */
function Drawing({ name, curves, points, chosen, choose, put, take }: DrawingProps) {
  const box = useRef<SVGSVGElement>(null)
  const { pull } = useDrag<{ words: string; points: Point[] }>(box, (m, done) => put(m.points, done), () => draft([]))
  const grab = (e: React.PointerEvent, of: Point[], i: number) => {
    choose(i)
    pull(e, (p) => ({ words: '', points: moved(of, i, [p.x, 1 - p.y]) }))
  }
  const press = (e: React.PointerEvent) => {
    const r = box.current?.getBoundingClientRect()
    if (!r || e.button !== 0 || points.length >= most) return
    const x = within((e.clientX - r.left) / r.width, 0, 1)
    const i = points.findIndex((p) => p[0] > x)
    const k = i < 0 ? points.length : i
    const next: Point[] = [...points.slice(0, k), [x, through(points, x)], ...points.slice(k)]
    if ((points[k - 1]?.[0] ?? -1) > x - apart || (points[k]?.[0] ?? 2) < x + apart) return
    put(next, true)
    grab(e, next, k)
  }
  const keys = (e: React.KeyboardEvent, i: number) => {
    const p = points[i] as Point
    const by = { ArrowRight: [1, 0], ArrowLeft: [-1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] }[e.key]
    if ((e.key === 'Delete' || e.key === 'Backspace') && take) take()
    else if (by) put(moved(points, i, [p[0] + ((by[0] ?? 0) * (e.shiftKey ? 1 : 10)) / 1000, p[1] + ((by[1] ?? 0) * (e.shiftKey ? 1 : 10)) / 1000]), 'held')
    else return
    e.preventDefault()
    e.stopPropagation()
  }
  return (
    <svg ref={box} className="curve" viewBox={`0 0 ${wide} ${high}`} preserveAspectRatio="none" role="group" aria-label={`Curve of ${name}`} onPointerDown={press}>
      {[0.25, 0.5, 0.75].map((v) => (
        <path key={v} className="grid" d={`M${v * wide} 0V${high}M0 ${v * high}H${wide}`} />
      ))}
      <path className="grid" d={`M0 ${high}L${wide} 0`} />
      {names.filter((n) => n !== name && curves[n]).map((n) => (
        <path key={n} d={lineOf(curves[n])} stroke={inks[n]} opacity={0.4} />
      ))}
      <path d={lineOf(points)} stroke={inks[name]} />
      {points.map((p, i) => (
        <circle key={i} className={i === chosen ? 'chosen' : ''} cx={p[0] * wide} cy={(1 - p[1]) * high} r={5} tabIndex={0} role="slider" aria-label={`Point ${i + 1} of the curve`} aria-valuenow={Math.round(100 * p[1])} aria-valuemin={0} aria-valuemax={100} aria-valuetext={`${(100 * p[0]).toFixed(0)} % becomes ${(100 * p[1]).toFixed(0)} %`} onFocus={() => choose(i)} onKeyDown={(e) => keys(e, i)} onPointerDown={(e) => (e.stopPropagation(), grab(e, points, i))} />
      ))}
    </svg>
  )
}
