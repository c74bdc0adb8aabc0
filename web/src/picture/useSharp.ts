import { useEffect, useState } from 'react'
import type { Sharp } from '../api.gen'
import { useComparison } from '../kernel/comparison'
import { useLook } from '../kernel/look'
import { useSetup } from '../kernel/store'
import type { Composite } from './composite'
import type { Layers } from './useLayers'

/** sharpKey is the sharp picture's on the graphics processor. */
export const sharpKey = 'sharp'

/** useSharp fetches the sight's sharp picture, and returns it while it may be shown in the place of the layers: until those of its size are here, and as long as nothing has changed since. */
export function useSharp(composite: Composite | null, { shown, whole }: Pick<Layers, 'shown' | 'whole'>): Sharp | null {
  const id = useSetup((s) => s.id)
  const sight = useSetup((s) => s.sight)
  const sharp = useSetup((s) => s.sharp)
  const same = useSetup((s) => s.draft.length === 0 && s.pending.length === 0 && s.revision === s.sharp?.revision && !s.astray)
  const plain = useLook((s) => s.way === 'picture' && s.alone.size === 0)
  const beside = useComparison((s) => s.compared !== null || s.base !== null)
  const [here, setHere] = useState('')
  const wanted = sharp?.sight === sight && whole !== sight ? sharp : null
  useEffect(() => {
    if (!composite || !wanted || id === null) return
    const stop = new AbortController()
    fetch(`/api/setups/${id}/layers/${wanted.frame}/${sharpKey}/${wanted.address}`, { signal: stop.signal })
      .then(async (r) => {
        if (r.status !== 200) return
        const words = new Uint32Array(await r.arrayBuffer())
        if (stop.signal.aborted || words.length !== wanted.width * wanted.height) return
        composite.put(sharpKey, wanted.address, wanted.scale, words, wanted.width, wanted.height)
        setHere(wanted.address)
      })
      .catch(() => undefined) // the layers are on their way
    return () => stop.abort()
  }, [composite, id, wanted])
  return wanted && same && plain && !beside && shown === sight && here === wanted.address && composite?.stamp(sharpKey) === here ? wanted : null
}
