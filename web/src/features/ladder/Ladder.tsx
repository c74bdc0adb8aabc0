import { useEffect, useRef, useState } from 'react'
import { replace } from '../../kernel/lightEdits'
import { useLook } from '../../kernel/look'
import { binsPerStop, evHigh, evLow } from '../../picture/histogram'
import { clipStops, evOf } from '../../kernel/sums'
import { draft, edit, eraNow, hold, useSetup } from '../../kernel/store'
import { Tip } from '../../ui/Tip'

const pad = 10

/** Where the scale ends and the bracket begins and ends, in pixels of the strip. */
const scale = 19
const left = 26
const right = 45

/** Ladder is the exposure: a scale in EV with the picture's histogram against it, and the
 * exposed range as a bracket to drag. */
export function Ladder() {
  const doc = useSetup((s) => s.doc)
  const id = useSetup((s) => s.view)
  const histogram = useLook((s) => s.histogram)
  const spot = useLook((s) => s.spot)
  const box = useRef<SVGSVGElement>(null)
  const drag = useRef<{ y: number; ev: number; era: number } | null>(null)
  const v = doc?.views[id]
  const height = useHeight(box, v !== undefined)
  if (!doc || !v) return <section className="ladder" aria-label="Exposure ladder" />
  const clip = clipStops(doc.curve)
  const buried = 6
  const y = (ev: number) => pad + ((evHigh - 3 - ev) / (evHigh - 3 - evLow)) * (height - 2 * pad)
  const stop = y(0) - y(1)
  const peak = Math.max(0.02, ...histogram)
  const path = histogram.map((b, i) => {
    const ev = evLow + (i + 0.5) / binsPerStop
    return `L ${right - (b / peak) * 17} ${y(ev)}`
  })
  // How much of the picture lies over white, and too deep to be seen.
  const share = (test: (ev: number) => boolean) => histogram.reduce((a, b, i) => (test(evLow + (i + 0.5) / binsPerStop) ? a + b : a), 0)
  const clipped = share((ev) => ev > v.ev + clip)
  const deep = share((ev) => ev < v.ev - buried)
  const part = (p: number) => `${(100 * p).toFixed(p < 0.0995 ? 1 : 0)} %`
  const shares = `${part(clipped)} of the picture clipped, ${part(deep)} buried`
  const put = (ev: number, done: boolean | 'held') => expose(id, v.name, ev, done)
  const ticks = Array.from({ length: evHigh - 3 - evLow + 1 }, (_, i) => evLow + i).filter((ev) => ev % 2 !== 0)
  return (
    <section className="ladder" aria-label="Exposure ladder">
      <Tip title={`Held exposure EV ${v.ev.toFixed(1)}: drag, or Up and Down. ${shares}.`} placement="right" pointer>
        <svg
          ref={box}
          role="slider"
          tabIndex={0}
          aria-label="Held exposure in EV"
          aria-orientation="vertical"
          aria-valuemin={-6}
          aria-valuemax={18}
          aria-valuenow={v.ev}
          aria-valuetext={`EV ${v.ev.toFixed(1)}, ${shares}`}
          onPointerDown={(e) => {
            e.currentTarget.setPointerCapture(e.pointerId)
            drag.current = { y: e.clientY, ev: v.ev, era: eraNow() }
          }}
          onPointerMove={(e) => drag.current && drag.current.era === eraNow() && put(drag.current.ev + (drag.current.y - e.clientY) / stop / (e.shiftKey ? 10 : 1), false)}
          onPointerUp={(e) => {
            const d = drag.current
            drag.current = null
            if (d && d.era === eraNow() && Math.abs(e.clientY - d.y) > 1) put(d.ev + (d.y - e.clientY) / stop / (e.shiftKey ? 10 : 1), true)
            else draft([])
          }}
          onKeyDown={(e) => {
            if (e.key !== 'ArrowUp' && e.key !== 'ArrowDown') return
            e.preventDefault()
            put(v.ev + (e.key === 'ArrowUp' ? 1 : -1) * (e.shiftKey ? 0.1 : 1 / 3), 'held')
          }}
        >
          {ticks.map((ev) => (
            <text key={ev} className="tick" x={scale} y={y(ev) + 4} textAnchor="end">
              {ev < 0 ? `−${-ev}` : ev}
            </text>
          ))}
          {histogram.length > 0 && <path className="histogram" d={`M ${right} ${y(evLow)} ${path.join(' ')} L ${right} ${y(evHigh - 3)} Z`} />}
          <rect className="bracket" x={left} width={right - left} y={y(v.ev + clip)} height={y(v.ev - buried) - y(v.ev + clip)} rx={2} />
          <line className="middle" x1={left} x2={right} y1={y(v.ev)} y2={y(v.ev)} />
          {spot !== null && spot > 0 && <path className="spot" d={`M ${left - 6} ${y(evOf(spot)) - 4} l 7 4 l -7 4 z`} />}
        </svg>
      </Tip>
    </section>
  )
}

/** useHeight is the strip's height in pixels. */
function useHeight(box: React.RefObject<SVGSVGElement | null>, there: boolean) {
  const [height, setHeight] = useState(520)
  useEffect(() => {
    const fit = () => {
      if (box.current?.clientHeight) setHeight(box.current.clientHeight)
    }
    fit()
    if (!box.current || !('ResizeObserver' in window)) return
    const o = new ResizeObserver(fit)
    o.observe(box.current)
    return () => o.disconnect()
  }, [box, there])
  return height
}

/** expose holds a view's exposure at an EV. */
function expose(view: string, name: string, ev: number, done: boolean | 'held') {
  const next = Math.round(Math.min(Math.max(ev, -6), 18) * 100) / 100
  const ops = [replace(`/views/${view}/ev`, next)]
  if (done === 'held') hold(`${name} exposure EV ${next.toFixed(1)}`, ops)
  else if (done) edit(`${name} exposure EV ${next.toFixed(1)}`, ops)
  else draft(ops)
}
