import type { OverlayProps } from '../../kernel/feature'
import { useSetup } from '../../kernel/store'
import { useBoard } from './board'

/** Over is the chosen reference over the left of the picture, up to a line that is dragged, or stepped by arrows. */
export function Over({ width, height, doc }: OverlayProps) {
  const { chosen, wipe, at } = useBoard()
  const view = useSetup((s) => s.view)
  const r = doc.references[chosen]
  if (!wipe || !r?.blob || r.view !== view) return null
  const x = at * width
  const move = (e: React.PointerEvent<SVGElement>) => {
    if (!e.currentTarget.hasPointerCapture(e.pointerId)) return
    const box = e.currentTarget.ownerSVGElement?.getBoundingClientRect()
    if (box) useBoard.setState({ at: Math.min(Math.max((e.clientX - box.x) / box.width, 0), 1) })
  }
  return (
    <g data-testid="reference-over">
      <clipPath id="reference-clip">
        <rect x={0} y={0} width={x} height={height} />
      </clipPath>
      <image href={`/api/references/${r.blob}`} x={0} y={0} width={width} height={height} preserveAspectRatio="xMidYMid slice" clipPath="url(#reference-clip)" />
      <line className="wipe-line" x1={x} x2={x} y1={0} y2={height} />
      <rect
        className="wipe-hand"
        x={x - 12}
        y={0}
        width={24}
        height={height}
        role="slider"
        tabIndex={0}
        aria-label="Reference over the picture"
        aria-valuemin={0}
        aria-valuemax={100}
        aria-valuenow={Math.round(100 * at)}
        onPointerDown={(e) => {
          e.stopPropagation()
          e.currentTarget.setPointerCapture(e.pointerId)
        }}
        onPointerMove={move}
        onKeyDown={(e) => {
          const by = { ArrowLeft: -0.02, ArrowRight: 0.02 }[e.key]
          if (!by) return
          e.stopPropagation()
          useBoard.setState({ at: Math.min(Math.max(at + by, 0), 1) })
        }}
      />
    </g>
  )
}
