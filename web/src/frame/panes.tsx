import { create } from 'zustand'

/** Panes are the sizes that a person has given the parts of the frame; they are remembered. */
interface Panes {
  /** Width of the right side, and height under the picture, in pixels. */
  side: number
  below: number
}

const place = 'willowherb.panes'
const standard = (): Panes => ({ side: Math.round(Math.min(Math.max(446, window.innerWidth * 0.24), 620)), below: Math.round(Math.min(Math.max(190, window.innerHeight * 0.2), 320)) })

function stored(): Panes {
  try {
    return { ...standard(), ...(JSON.parse(localStorage.getItem(place) ?? '{}') as Partial<Panes>) }
  } catch {
    return standard()
  }
}

export const usePanes = create<Panes>(() => stored())

/** Splitter is a border to drag: between the picture and the right side, or what lies under it. A double click resets it. */
export function Splitter({ which }: { which: keyof Panes }) {
  const value = usePanes((s) => s[which])
  const clamp = (v: number) => (which === 'side' ? Math.min(Math.max(v, 330), Math.max(window.innerWidth - 620, 330)) : Math.min(Math.max(v, 40), Math.max(window.innerHeight - 420, 40)))
  const put = (v: number) => {
    usePanes.setState({ [which]: clamp(Math.round(v)) })
    localStorage.setItem(place, JSON.stringify(usePanes.getState()))
  }
  return (
    <div
      className={`splitter ${which === 'side' ? 'upright' : 'level'}`}
      role="separator"
      tabIndex={0}
      aria-orientation={which === 'side' ? 'vertical' : 'horizontal'}
      aria-label={which === 'side' ? 'Width of the right side' : 'Height under the picture'}
      aria-valuenow={value}
      onPointerDown={(e) => {
        e.preventDefault()
        const from = value
        const start = which === 'side' ? e.clientX : e.clientY
        const move = (m: PointerEvent) => put(from + start - (which === 'side' ? m.clientX : m.clientY))
        const end = () => {
          window.removeEventListener('pointermove', move)
          window.removeEventListener('pointerup', end)
        }
        window.addEventListener('pointermove', move)
        window.addEventListener('pointerup', end)
      }}
      onDoubleClick={() => put(standard()[which])}
      onKeyDown={(e) => {
        const by = { ArrowLeft: 10, ArrowUp: 10, ArrowRight: -10, ArrowDown: -10 }[e.key]
        if (by === undefined) return
        e.preventDefault()
        e.stopPropagation()
        put(value + by)
      }}
    />
  )
}
