import { useEffect, useRef, useState } from 'react'
import { eraNow, useSetup } from '../kernel/store'
import { where } from './navigate'

/** useDrag drags a handle: what it pulls is shown while the button is held, and done when it is let go; Escape drops it. */
export function useDrag<T extends { words: string }>(box: React.RefObject<Element | null>, put: (t: T, done: boolean) => void, drop: () => void) {
  const [words, setWords] = useState('')
  const letGo = useRef<(() => void) | null>(null)
  useEffect(() => () => letGo.current?.(), [])
  const pull = (e: React.PointerEvent, drag: (p: ReturnType<typeof where>) => T | null) => {
    const el = box.current
    if (e.button !== 0 || !el) return
    e.stopPropagation()
    e.preventDefault()
    let latest: T | null = null
    const era = eraNow()
    const move = (m: PointerEvent) => {
      latest = drag(where(m, el))
      if (!latest) return
      setWords(latest.words)
      put(latest, false)
    }
    const end = (m: PointerEvent) => {
      window.removeEventListener('pointermove', move)
      window.removeEventListener('pointerup', end)
      window.removeEventListener('pointercancel', end)
      window.removeEventListener('keydown', stop, true)
      left()
      letGo.current = null
      setWords('')
      if (latest && m.type === 'pointerup') put(latest, true)
      else drop()
    }
    const stop = (k: KeyboardEvent) => {
      if (k.key !== 'Escape') return
      k.stopPropagation()
      cancel()
    }
    // Leaving the view under the hand is Escape, and so is a handle that goes away.
    const cancel = () => {
      latest = null
      end(new PointerEvent('pointercancel'))
    }
    const left = useSetup.subscribe(() => era !== eraNow() && cancel())
    letGo.current = cancel
    window.addEventListener('pointermove', move)
    window.addEventListener('pointerup', end)
    window.addEventListener('pointercancel', end)
    window.addEventListener('keydown', stop, true)
  }
  return { words, pull }
}
