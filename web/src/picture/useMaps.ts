import { useEffect } from 'react'
import type { FrameNews } from '../api.gen'
import { ray, type Camera } from '../kernel/camera'
import { cameraNow, useLook } from '../kernel/look'
import { lampsNow, useSetup } from '../kernel/store'
import type { Composite } from './composite'
import { nothing, setGround } from './ground'
import { runtimeLights } from './parts'
import { asDrawn, waySpecs } from './ways'

const again = () => useLook.setState((s) => ({ drawn: s.drawn + 1 }))

/** inverses are one over the distances along a camera's axis; 0 where there is nothing. */
function inverses(c: Camera, distances: Float32Array, ids: Uint32Array, w: number, h: number): Float32Array {
  const out = new Float32Array(w * h)
  const long = Math.hypot(...c.aim)
  for (let i = 0; i < out.length; i++) {
    if (ids[i] === nothing) continue
    const r = ray(c, ((i % w) + 0.5) / w, (Math.floor(i / w) + 0.5) / h)
    const far = (distances[i] ?? 0) * ((r[0] * c.aim[0] + r[1] * c.aim[1] + r[2] * c.aim[2]) / long)
    if (far > 1e-4) out[i] = 1 / far
  }
  return out
}

/** useGround fetches where things are under the picture, for hands and readings. */
export function useGround(composite: Composite | null, finest: FrameNews | undefined) {
  const id = useSetup((s) => s.id)
  const astray = useSetup((s) => s.astray)
  const frame = finest?.frame
  useEffect(() => {
    // While the eye is astray the frame is of where it was before.
    if (!composite || !finest || id === null || !frame || astray) return
    const stop = new AbortController()
    const at = cameraNow()
    fetch(`/api/setups/${id}/maps/${frame}`, { signal: stop.signal })
      .then(async (r) => {
        if (!r.ok || !at) return
        const data = await r.arrayBuffer()
        const both = new Uint32Array(data)
        const floats = new Float32Array(data)
        const n = finest.width * finest.height
        if (both.length !== 2 * n) return
        const ids = new Uint32Array(n)
        const distances = new Float32Array(n)
        for (let i = 0; i < n; i++) {
          ids[i] = both[2 * i] ?? 0
          distances[i] = floats[2 * i + 1] ?? 0
        }
        setGround({ camera: at, w: finest.width, h: finest.height, ids, distances })
        composite.putObjects(ids, finest.width, finest.height)
        composite.putDepths(inverses(at, distances, ids, finest.width, finest.height), finest.width, finest.height)
        again()
      })
      .catch(() => undefined)
    return () => stop.abort()
    // The frame's name says all that the map depends on.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [composite, id, frame, astray])
}

/** useMap fetches pictures of something else than light, for the ways of seeing that show them. */
export function useMap(composite: Composite | null, finest: FrameNews | undefined) {
  const id = useSetup((s) => s.id)
  const lamps = useSetup(lampsNow)
  const revision = useSetup((s) => s.revision)
  const chosen = useLook((s) => s.chosen)
  const map = useLook((s) => waySpecs[s.way].map)
  const frame = finest?.frame
  const reachOf = map === 'reach' && chosen ? (lamps[chosen]?.key ?? '') : ''
  const lampKeys = map === 'crowding' ? Object.values(lamps).map((l) => l.key).join() : ''
  useEffect(() => {
    if (!composite || !map || !frame || !finest || id === null || (map === 'reach' && !chosen)) return
    const stop = new AbortController()
    fetch(`/api/setups/${id}/drawn/${frame}/${map}?light=${chosen ?? ''}`, { signal: stop.signal })
      .then(async (r) => {
        if (r.status !== 200) return
        const data = await r.arrayBuffer()
        const n = finest.width * finest.height
        if (data.byteLength !== n && data.byteLength !== 4 * n) return
        if (map === 'reach' || map === 'crowding') composite.putCodes(`map/${map}`, frame + reachOf + lampKeys + revision, new Uint8Array(data), finest.width, finest.height)
        else composite.put(`map/${map}`, frame, Number(r.headers.get('X-Scale') ?? 1), new Uint32Array(data), finest.width, finest.height)
        again()
      })
      .catch(() => undefined)
    return () => stop.abort()
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [composite, id, frame, map, reachOf, lampKeys, revision])
}

/** useRuntime fetches shadows as the target draws them, one light after another. */
export function useRuntime(composite: Composite | null, finest: FrameNews | undefined, canvas: React.RefObject<HTMLCanvasElement | null>) {
  const id = useSetup((s) => s.id)
  const doc = useSetup((s) => s.doc)
  const lamps = useSetup(lampsNow)
  const sight = useSetup((s) => s.sight)
  const astray = useSetup((s) => s.astray)
  const way = useLook((s) => s.way)
  const frame = finest?.frame
  const target = asDrawn(way) ? runtimeLights(doc, lamps) : ''
  useEffect(() => {
    if (!composite || !target || !frame || !finest || id === null || astray) return
    const stop = new AbortController()
    const get = async () => {
      for (const [light, stamp] of JSON.parse(target) as [string, string][]) {
        const key = `rt/${sight}/${light}`
        if (stop.signal.aborted || composite.stamp(key) === frame + stamp) continue
        const r = await fetch(`/api/setups/${id}/runtime/${frame}/${light}`, { signal: stop.signal })
        if (r.status !== 200) continue
        const words = new Uint32Array(await r.arrayBuffer())
        if (stop.signal.aborted || words.length !== finest.width * finest.height) return
        composite.put(key, frame + stamp, Number(r.headers.get('X-Scale') ?? 1), words, finest.width, finest.height)
        again()
      }
      canvas.current?.setAttribute('data-runtime', frame)
    }
    get().catch(() => undefined)
    return () => stop.abort()
  }, [composite, target, frame, finest, id, sight, astray, canvas])
}
