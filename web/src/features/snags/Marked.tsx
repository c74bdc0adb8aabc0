import type { OverlayProps } from '../../kernel/feature'
import { useLook } from '../../kernel/look'

/** Marked is the place that a check has found. */
export function Marked({ at }: OverlayProps) {
  const marked = useLook((s) => s.marked)
  const p = marked && at(marked.at)
  return p ? (
    <g className="marked" data-testid="marked" transform={`translate(${p.x} ${p.y})`}>
      <circle r={16} />
      <path d="M 0 -22 v 9 M 0 22 v -9 M -22 0 h 9 M 22 0 h -9" />
      <text x={22} y={4}>
        {marked.words}
      </text>
    </g>
  ) : null
}
