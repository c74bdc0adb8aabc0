interface WipeProps {
  width: number
  height: number
  /** Where the line stands, as a share of the width. */
  at: number
  label: string
  set: (at: number) => void
}

/** Wipe is an upright line over the picture that is dragged, or stepped by arrows. */
export function Wipe({ width, height, at, label, set }: WipeProps) {
  const x = at * width
  const put = (v: number) => set(Math.min(Math.max(v, 0), 1))
  return (
    <>
      <line className="wipe-line" x1={x} x2={x} y1={0} y2={height} />
      <rect
        className="wipe-hand"
        x={x - 12}
        y={0}
        width={24}
        height={height}
        role="slider"
        tabIndex={0}
        aria-label={label}
        aria-valuemin={0}
        aria-valuemax={100}
        aria-valuenow={Math.round(100 * at)}
        onPointerDown={(e) => {
          e.stopPropagation()
          e.currentTarget.setPointerCapture(e.pointerId)
        }}
        onPointerMove={(e) => {
          if (!e.currentTarget.hasPointerCapture(e.pointerId)) return
          const box = e.currentTarget.ownerSVGElement?.getBoundingClientRect()
          if (box) put((e.clientX - box.x) / box.width)
        }}
        onKeyDown={(e) => {
          const by = { ArrowLeft: -0.02, ArrowRight: 0.02 }[e.key]
          if (!by) return
          e.stopPropagation()
          put(at + by)
        }}
      />
    </>
  )
}
