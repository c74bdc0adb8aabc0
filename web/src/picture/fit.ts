import { useEffect, useState } from 'react'
import { usePanes } from '../kernel/panes'

/** useFit is the largest size of an aspect that fits beside the ladder, and between the lines over and under the picture. */
export function useFit(box: React.RefObject<HTMLDivElement | null>, aspect: number) {
  const least = usePanes((s) => (s.folded || s.beside !== 'frame' ? 0 : s.below))
  const beside = usePanes((s) => s.beside)
  const [space, setSpace] = useState({ w: 0, h: 0 })
  useEffect(() => {
    const stage = box.current?.parentElement
    const main = stage?.parentElement
    if (!stage || !main) return
    const measure = () => {
      const lines = [...main.children].filter((c) => c !== stage && !c.classList.contains('below') && !c.classList.contains('unseen')).reduce((a, c) => a + (c as HTMLElement).offsetHeight, 0)
      const ladder = (stage.querySelector('.ladder') as HTMLElement | null)?.offsetWidth ?? 0
      setSpace({ w: main.clientWidth - ladder - 4, h: main.clientHeight - lines - least })
    }
    const o = new ResizeObserver(measure)
    o.observe(main)
    for (const c of main.children) if (c !== stage) o.observe(c)
    return () => o.disconnect()
  }, [box, least, beside])
  const w = Math.max(Math.floor(Math.min(space.w, space.h * aspect)), 0)
  return { width: w, height: Math.floor(w / aspect) }
}
