import { usePinch } from '@use-gesture/react'
import { pinched, type Camera, type V3 } from '../kernel/camera'
import { cameraNow, standStill } from '../kernel/look'
import { pivotAt, where } from './navigate'
import { travel } from './solid'

/** Where two fingers began. */
interface Begun {
  from: Camera
  pivot: V3
  x: number
  y: number
}

interface Move {
  first: boolean
  last: boolean
  origin: [number, number]
  movement: [number, number]
  memo?: Begun
}

/** Pinch moves the eye by two fingers: apart is nearer, together farther, moved is along. */
export default function Pinch({ frame, began }: { frame: React.RefObject<HTMLElement | null>; began: () => void }) {
  usePinch(
    ({ first, last, origin, movement: [spread], memo }: Move) => {
      const c = memo?.from ?? cameraNow()
      if (!frame.current || !c) return undefined
      began()
      const p = where({ clientX: origin[0], clientY: origin[1] }, frame.current)
      const begun = memo ?? { from: c, pivot: pivotAt(c, p.x, p.y), x: p.x, y: p.y }
      if (!first) travel(pinched(begun.from, begun.pivot, spread, p.x - begun.x, p.y - begun.y))
      if (last) standStill()
      return begun
    },
    { target: frame, pointer: { touch: true }, pinchOnWheel: false, eventOptions: { passive: false } },
  )
  return null
}
