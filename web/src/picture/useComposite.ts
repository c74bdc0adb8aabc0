import { useEffect, useState } from 'react'
import { useLook } from '../kernel/look'
import { Composite } from './composite'

/**
 * useComposite makes the composite on a canvas and takes it away with it. A graphics processor
 * that is reset takes all with it: lost says so until it is back, and the layers are then
 * fetched again.
 */
export function useComposite(canvas: React.RefObject<HTMLCanvasElement | null>): { composite: Composite | null; lost: boolean } {
  const [composite, setComposite] = useState<Composite | null>(null)
  const [lost, setLost] = useState(false)
  useEffect(() => {
    const c = canvas.current
    if (!c) return
    let made: Composite | null = null
    const begin = () => {
      try {
        if (new URLSearchParams(location.search).has('plain')) throw new Error('asked for')
        setComposite((made = new Composite(c)))
      } catch {
        useLook.setState({ plain: true })
      }
    }
    begin()
    const gone = (e: Event) => {
      e.preventDefault()
      made = null
      setLost(true)
      setComposite(null)
    }
    const back = () => {
      setLost(false)
      begin()
    }
    c.addEventListener('webglcontextlost', gone)
    c.addEventListener('webglcontextrestored', back)
    return () => {
      c.removeEventListener('webglcontextlost', gone)
      c.removeEventListener('webglcontextrestored', back)
      made?.dispose()
    }
  }, [canvas])
  return { composite, lost }
}
