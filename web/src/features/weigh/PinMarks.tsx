import type { OverlayProps } from '../../kernel/feature'
import { useLook } from '../../kernel/look'

/** PinMarks are the pins, and the point that is being weighed. */
export function PinMarks({ at, width, height }: OverlayProps) {
  const pins = useLook((s) => s.pins)
  const weighing = useLook((s) => s.weighing)
  return (
    <>
      {pins.map((p, i) => {
        const q = p.position ? at(p.position) : null
        return q ? (
          <g key={p.id} className="pin" transform={`translate(${q.x} ${q.y})`}>
            <path d="M 0 0 l -5 -11 a 5.500 5.500 0 1 1 10 0 z" />
            <text y={-11} textAnchor="middle">
              {i + 1}
            </text>
          </g>
        ) : null
      })}
      {weighing && <path className="cross" d={`M ${weighing.x * width - 9} ${weighing.y * height} h 18 M ${weighing.x * width} ${weighing.y * height - 9} v 18`} />}
    </>
  )
}
