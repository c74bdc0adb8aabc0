import { useEffect, useMemo, useRef, useState } from 'react'
import type { FrameNews, LampFact } from '../api.gen'
import { useComparison } from '../kernel/comparison'
import { useLook, type Way } from '../kernel/look'
import { lampsNow, useSetup } from '../kernel/store'
import { best } from '../kernel/sums'
import type { Composite } from './composite'
import { LayerLoader, type Wanted } from './loader'
import { partKey, partsOf } from './parts'
import { sharpKey } from './useSharp'

/** Layers is what of the sight's layers is on the graphics processor. */
export interface Layers {
  /** The sight that is drawn: that of the window, as soon as every light has a layer of it. */
  shown: string
  /** The finest frame that there is of the window's sight. */
  finest: FrameNews | undefined
  /** The sight of which every light's layer at full size is here. */
  whole: string
  /** Size of the picture as the layers have it. */
  full: React.RefObject<{ w: number; h: number }>
  /** What each light showed last, until its new layer is here. */
  last: React.RefObject<Map<string, string>>
}

/** wantedOf are the parts of a light's layer that a way of seeing shows. */
function wantedOf(f: LampFact, frame: FrameNews, sight: string, way: Way): Wanted[] {
  const news = frame.layers[f.key]
  if (!news) return []
  return partsOf(way, f.shines)
    .filter(([part]) => (news.scales[part] ?? 0) > 0)
    .map(([part]) => ({ sight, lamp: f.key, part, frame: frame.frame, width: frame.width, height: frame.height, stamp: `${frame.level}:${news.parts[part]}`, scale: news.scales[part] ?? 1, address: news.parts[part] ?? '' }))
}

/** keptOf are the keys of what stays on the graphics processor. */
function keptOf(wanted: Wanted[], done: boolean, sight: string, last: Map<string, string>, lamps: Record<string, LampFact>): Set<string> {
  const keep = new Set(wanted.map((w) => partKey(w.sight, w.lamp, w.part)))
  for (const k of last.values()) for (const part of [0, 1, 2, 3]) keep.add(partKey(sight, k, part))
  for (const m of ['albedo', 'normals', 'edges', 'reach', 'crowding']) keep.add(`map/${m}`)
  if (!done) keep.add(sharpKey)
  for (const i of Object.keys(lamps)) keep.add(`rt/${sight}/${i}`)
  return keep
}

/** allLarge tells whether every light's finest layer is of full size. */
const allLarge = (frames: Record<number, FrameNews> | undefined, lamps: Record<string, LampFact>) => Object.values(lamps).every((f) => best(frames, f.key)?.level === 2)

const gather = 30 // ms: layers that come together are drawn together

/**
 * useLayers fetches what the finest layers have and the composite has not. A new sight is
 * swapped in when every light has a layer of it; within a sight each comes as it arrives.
 */
export function useLayers(composite: Composite | null, canvas: React.RefObject<HTMLCanvasElement | null>): Layers {
  const id = useSetup((s) => s.id)
  const lamps = useSetup(lampsNow)
  const sight = useSetup((s) => s.sight)
  const frames = useSetup((s) => s.frames[s.sight])
  const way = useLook((s) => s.way)
  const compared = useComparison((s) => s.compared)
  const base = useComparison((s) => s.base)
  const [shown, setShown] = useState('')
  const [whole, setWhole] = useState('')
  const full = useRef({ w: 0, h: 0 })
  const last = useRef(new Map<string, string>())
  const loader = useRef<LayerLoader | null>(null)
  const settle = useRef<() => void>(() => undefined)

  const all = useMemo(() => ({ lamps, compared: [...Object.values(compared?.lamps ?? {}), ...Object.values(base?.lamps ?? {})] }), [lamps, compared, base])
  const finest = useMemo(() => {
    let out: FrameNews | undefined
    for (const l of Object.values(all.lamps)) {
      const f = best(frames, l.key)
      if (f && (!out || f.level > out.level)) out = f
    }
    return out
  }, [frames, all])

  useEffect(() => {
    if (!composite || id === null) return
    let soon: ReturnType<typeof setTimeout> | undefined
    const l = new LayerLoader(composite, id, () => {
      clearTimeout(soon)
      soon = setTimeout(() => settle.current(), gather)
    })
    loader.current = l
    const memory = last.current
    return () => {
      clearTimeout(soon)
      l.dispose()
      loader.current = null
      memory.clear()
      setShown('')
      setWhole('')
    }
  }, [composite, id])

  useEffect(() => {
    const from = loader.current
    if (!composite || !from || !finest) return
    const wanted: Wanted[] = []
    let ready = true
    const want = (f: LampFact, needed: boolean) => {
      const frame = best(frames, f.key)
      if (!frame?.layers[f.key]) {
        ready = ready && !needed
        return
      }
      wanted.push(...wantedOf(f, frame, sight, way))
    }
    Object.values(all.lamps).forEach((f) => want(f, true))
    all.compared.forEach((f) => want(f, false))
    const fresh = shown !== sight
    if (fresh && !ready) return
    settle.current = () => {
      const missing = from.missing()
      canvas.current?.setAttribute('data-waiting', String(missing))
      if (fresh && wanted.some((w) => composite.stamp(partKey(w.sight, w.lamp, w.part)) === undefined)) return
      if (fresh) last.current.clear()
      full.current = { w: finest.width, h: finest.height }
      const done = missing === 0 && allLarge(frames, all.lamps)
      if (done) setWhole(sight)
      if (missing === 0) composite.keep(keptOf(wanted, done, sight, last.current, all.lamps))
      setShown(sight)
      useLook.setState((s) => ({ drawn: s.drawn + 1, preview: null }))
    }
    from.want(wanted)
    const missing = from.missing()
    canvas.current?.setAttribute('data-waiting', String(missing))
    if (missing === 0 && fresh) settle.current()
  }, [composite, frames, finest, all, shown, sight, way, canvas])
  return { shown, whole, finest, full, last }
}
