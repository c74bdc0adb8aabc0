import { useEffect, useRef, useState } from 'react'
import type { Setup, Warmth } from '../api.gen'
import { evOf, exposureFactor, finest, gains, luminance, type RGB } from '../setup/sums'
import { complain, useSetup } from '../setup/store'
import { Composite } from './composite'
import { useLook } from './look'

/** The histogram counts pixels by luminance: so many bins a stop, from EV -4 to 18. */
export const evLow = -4
export const evHigh = 18
export const binsPerStop = 4

function histogram(rgba: Float32Array): number[] {
  const bins = new Array<number>((evHigh - evLow) * binsPerStop).fill(0)
  for (let i = 0; i < rgba.length; i += 4) {
    const y = luminance([rgba[i] ?? 0, rgba[i + 1] ?? 0, rgba[i + 2] ?? 0])
    if (y <= 0) continue
    const b = Math.floor((evOf(y) - evLow) * binsPerStop)
    if (b < 0 || b >= bins.length) continue
    bins[b] = (bins[b] ?? 0) + 1
  }
  const n = rgba.length / 4
  return bins.map((b) => b / n)
}

interface Fetched {
  key: string
  version: number
  scale: number
  words: Uint32Array
}

/** Picture composes the view's layers and follows every edit in the next display frame. */
export function Picture({ warmth }: { warmth: Warmth }) {
  const canvas = useRef<HTMLCanvasElement>(null)
  const box = useRef<HTMLDivElement>(null)
  const [composite, setComposite] = useState<Composite | null>(null)
  const plain = useLook((s) => s.plain)
  const [shown, setShown] = useState('')
  const doc = useSetup((s) => s.doc)
  const view = useSetup((s) => s.view)
  const lamps = useSetup((s) => s.lamps)
  const frames = useSetup((s) => s.frames[s.view])
  const id = useSetup((s) => s.id)
  const revision = useSetup((s) => s.revision)
  const alone = useLook((s) => s.alone)
  const frame = finest(frames, lamps)
  const cameraOf = doc?.views[view]

  useEffect(() => {
    if (!canvas.current) return
    try {
      if (new URLSearchParams(location.search).has('plain')) throw new Error('asked for')
      const made = new Composite(canvas.current)
      setComposite(made)
    } catch {
      useLook.setState({ plain: true })
    }
  }, [])

  // Fetch what the finest complete picture has and we have not. A picture of
  // another size or view is swapped in when all of it is here.
  useEffect(() => {
    if (!composite || !frame || id === null) return
    const stop = new AbortController()
    const wanted = Object.values(lamps).map((l) => l.key)
    const fresh = shown !== frame.frame
    const missing = wanted.filter((k) => fresh || composite.version(k) !== frame.layers[k]?.version)
    if (missing.length === 0) return
    const load = async (key: string): Promise<Fetched | null> => {
      const l = frame.layers[key]
      if (!l) return null
      const r = await fetch(`/api/setups/${id}/layers/${frame.frame}/${key}/${l.version}`, { signal: stop.signal })
      if (!r.ok) return null
      return { key, version: l.version, scale: l.scale, words: new Uint32Array(await r.arrayBuffer()) }
    }
    Promise.all(missing.map(load)).then(
      (all) => {
        const got = all.filter((g): g is Fetched => g !== null && g.words.length === frame.width * frame.height)
        if (stop.signal.aborted || (fresh && got.length < missing.length)) return
        if (fresh) composite.resize(frame.width, frame.height)
        composite.keep(new Set(wanted))
        for (const g of got) composite.put(g.key, g.version, g.scale, g.words)
        setShown(frame.frame)
        useLook.setState((s) => ({ drawn: s.drawn + 1 }))
      },
      () => undefined,
    )
    return () => stop.abort()
  }, [composite, frame, id, lamps, shown])

  const arrived = useLook((s) => s.drawn)
  const pen = useRef(0)
  useEffect(() => {
    if (!composite || !doc || !shown || !cameraOf) return
    cancelAnimationFrame(pen.current)
    pen.current = requestAnimationFrame(() => {
      const g = gains(doc, lamps, warmth, alone)
      const byKey = new Map<string, RGB>()
      for (const [light, f] of Object.entries(lamps)) byKey.set(f.key, g[light] ?? [0, 0, 0])
      composite.draw(byKey, exposureFactor(cameraOf.ev), doc.curve)
      canvas.current?.setAttribute('data-drawn', String(Number(canvas.current.getAttribute('data-drawn') ?? 0) + 1))
      canvas.current?.setAttribute('data-frame', shown)
    })
    const t = setTimeout(() => {
      composite.settle()
      const bins = histogram(composite.read(0, 0, composite.width, composite.height))
      useLook.setState({ histogram: bins })
    }, 120)
    return () => clearTimeout(t)
  }, [composite, doc, lamps, warmth, alone, shown, cameraOf, arrived])

  const aspect = cameraOf?.aspect ?? 16 / 9
  const size = useFit(box, aspect)

  const point = (e: React.PointerEvent) => {
    if (!composite || !canvas.current || !shown) return
    const r = canvas.current.getBoundingClientRect()
    const x = Math.floor(((e.clientX - r.left) / r.width) * composite.width)
    const y = Math.floor(((e.clientY - r.top) / r.height) * composite.height)
    if (x < 0 || y < 0 || x >= composite.width || y >= composite.height) return
    const p = composite.read(x, y, 1, 1)
    useLook.setState({ spot: luminance([p[0] ?? 0, p[1] ?? 0, p[2] ?? 0]) })
  }

  return (
    <div className="picture-box" ref={box}>
      <div className="picture" style={size} data-testid="picture-frame">
        <canvas
          ref={canvas}
          className={shown ? 'ready' : ''}
          data-testid="picture"
          hidden={plain}
          role="img"
          aria-label={`Picture of the view ${cameraOf?.name ?? ''}`}
          onPointerMove={point}
          onPointerLeave={() => useLook.setState({ spot: null })}
        />
        {plain && id !== null && frame && <PlainPicture id={id} view={view} stamp={`${revision}-${frame.frame}-${frame.samples}`} doc={doc} alone={alone} />}
        {!shown && !(plain && frame) && <div className="waiting">{doc ? 'First light is on its way' : 'Making the place ready'}</div>}
      </div>
    </div>
  )
}

/** PlainPicture is the server's composite, for machines without WebGL2. */
function PlainPicture({ id, view, stamp, doc, alone }: { id: number; view: string; stamp: string; doc: Setup | null; alone: ReadonlySet<string> }) {
  if (!doc) return null
  return (
    <img
      data-testid="plain-picture"
      alt={`Picture of the view ${doc.views[view]?.name ?? ''}`}
      src={`/api/setups/${id}/picture?view=${view}&alone=${[...alone].join(',')}&at=${stamp}`}
      onError={() => complain({ what: 'The picture could not be fetched.', remedy: 'It comes back by itself when the server is there again.' })}
    />
  )
}

/** useFit is the largest size of an aspect that fits a box. */
function useFit(box: React.RefObject<HTMLDivElement | null>, aspect: number) {
  const [space, setSpace] = useState({ w: 0, h: 0 })
  useEffect(() => {
    if (!box.current) return
    const main = box.current.parentElement as HTMLElement
    // What lies over and under the picture keeps at least its lines.
    const o = new ResizeObserver(() => setSpace({ w: main.clientWidth - 28, h: main.clientHeight - 70 - 74 }))
    o.observe(main)
    return () => o.disconnect()
  }, [box])
  const w = Math.floor(Math.min(space.w, space.h * aspect))
  return { width: w, height: Math.floor(w / aspect) }
}
