import { edges, size, standard, usePanes, type Edge } from '../kernel/panes'

/** Splitter is a border to drag, between two parts of the frame. A double click resets it. */
export function Splitter({ which }: { which: Edge }) {
  const value = usePanes((s) => s[which])
  const e = edges[which]
  const most = Math.max(e.rest(), e.least)
  const put = (v: number) => size({ [which]: Math.round(Math.min(Math.max(v, e.least), most)) })
  return (
    <div
      className={`splitter ${e.upright ? 'upright' : 'level'}`}
      role="separator"
      tabIndex={0}
      aria-orientation={e.upright ? 'vertical' : 'horizontal'}
      aria-label={e.says}
      aria-valuenow={value}
      aria-valuemin={e.least}
      aria-valuemax={most}
      onPointerDown={(d) => {
        d.preventDefault()
        const el = d.currentTarget
        const start = e.upright ? d.clientX : d.clientY
        const move = (m: PointerEvent) => put(value + start - (e.upright ? m.clientX : m.clientY))
        const end = () => {
          el.removeEventListener('pointermove', move)
          el.removeEventListener('pointerup', end)
          el.removeEventListener('pointercancel', end)
        }
        el.setPointerCapture(d.pointerId)
        el.addEventListener('pointermove', move)
        el.addEventListener('pointerup', end)
        el.addEventListener('pointercancel', end)
      }}
      onDoubleClick={() => put(standard()[which])}
      onKeyDown={(k) => {
        const by = { ArrowLeft: 10, ArrowUp: 10, ArrowRight: -10, ArrowDown: -10 }[k.key]
        if (by === undefined) return
        k.preventDefault()
        k.stopPropagation()
        put(value + by)
      }}
    />
  )
}
