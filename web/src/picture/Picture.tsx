import { useEffect, useMemo, useRef, useState } from 'react'
import type { FrameNews, LampFact, Setup, Warmth } from '../api.gen'
import { usePanes } from '../frame/panes'
import { addressed } from '../net/address'
import { neutral } from '../net/live'
import { best, evOf, exposureFactor, gains, isOff, finest, luminance, mixed, type RGB } from '../setup/sums'
import { complain, lampsNow, useSetup } from '../setup/store'
import { Composite, type Finish, type Item } from './composite'
import { setGround, under } from './ground'
import { cameraNow, useLook, type Way } from './look'
import { capture, captured, crosshairKey, pictureId, useCrosshair } from './crosshair'
import { keepPicture, lastPicture } from './lastPicture'
import { Overlay } from './Overlay'
import { ToolLayer } from './ToolLayer'
import { useNavigation } from './navigate'
import { asDrawn, codePalette, legend, logRange, waySpecs } from './ways'
import { useAside } from '../snapshots/aside'
import { luxAtRest, pointer, weighHere } from '../weigh/weighing'

/** The histogram counts pixels by luminance: so many bins a stop, from EV -4 to 18. */
export const evLow = -4
export const evHigh = 18
export const binsPerStop = 4

function histogram(rgba: Float32Array): number[] {
  const bins = new Array<number>((evHigh - evLow) * binsPerStop).fill(0)
  for (let i = 0; i < rgba.length; i += 4) {
    const y = luminance([rgba[i] ?? 0, rgba[i + 1] ?? 0, rgba[i + 2] ?? 0])
    if (!(y > 0)) continue
    const b = Math.floor((evOf(y) - evLow) * binsPerStop)
    if (b < 0 || b >= bins.length) continue
    bins[b] = (bins[b] ?? 0) + 1
  }
  const n = rgba.length / 4
  if (n === 0) return [] // there is no picture yet
  return bins.map((b) => b / n)
}

const partKey = (sight: string, lamp: string, part: number) => `${sight}/${lamp}/${part}`

/** partsOf are the parts of a layer that a way of seeing needs, with their signs. */
function partsOf(way: Way, shines: boolean): [number, number][] {
  // The run-time picture is put together from all parts; here they are only asked for.
  if (asDrawn(way)) return shines ? [[0, 1], [1, 0], [2, 0]] : [[0, 1], [1, 0]]
  if (way === 'bounced') return [[1, 1]]
  if (way === 'direct') return shines ? [[0, 1], [1, -1], [2, -1]] : [[0, 1], [1, -1]]
  return [[0, 1]]
}

/** runtimeLights are the lights that the target works out each frame, with what their shadows depend on. */
function runtimeLights(doc: Setup | null, lamps: Record<string, LampFact>): string {
  return JSON.stringify(
    Object.entries(lamps).flatMap(([id, f]) => {
      const l = doc?.lights[id]
      return l && !isOff(doc, l) && l.carry !== 'baked' && l.kind !== 'sky' && l.kind !== 'emissive' ? [[id, `${f.key}${l.shadowMap}${JSON.stringify(l.drawn ?? null)}${doc.target}`]] : []
    }),
  )
}

const bytesOf = (b64: string) => Uint8Array.from(atob(b64), (c) => c.charCodeAt(0))

/** Picture composes the sight's layers and follows every edit in the next display frame. */
export function Picture({ warmth }: { warmth: Warmth }) {
  const canvas = useRef<HTMLCanvasElement>(null)
  const box = useRef<HTMLDivElement>(null)
  const [composite, setComposite] = useState<Composite | null>(null)
  const plain = useLook((s) => s.plain)
  const [shown, setShown] = useState('')
  const doc = useSetup((s) => s.doc)
  const view = useSetup((s) => s.view)
  const lamps = useSetup(lampsNow)
  const sight = useSetup((s) => s.sight)
  const astray = useSetup((s) => s.astray)
  const frames = useSetup((s) => s.frames[s.sight])
  const id = useSetup((s) => s.id)
  const revision = useSetup((s) => s.revision)
  const alone = useLook((s) => s.alone)
  const way = useLook((s) => s.way)
  const picked = useLook((s) => s.picked)
  const camera = useLook((s) => s.camera)
  const moving = useLook((s) => s.moving)
  const preview = useLook((s) => s.preview)
  const objects = useLook((s) => s.objects)
  const split = useLook((s) => s.split)
  const wipe = useLook((s) => s.wipe)
  const aside = useAside((s) => s.aside)
  const base = useAside((s) => s.base)
  const ev = doc?.views[view]?.ev ?? 0
  const cameraOf = camera ?? doc?.views[view]
  const full = useRef({ w: 0, h: 0 })
  // What each light showed last, until its new layer is here.
  const last = useRef(new Map<string, string>())

  const [lost, setLost] = useState(false)
  useEffect(() => {
    const c = canvas.current
    if (!c) return
    const begin = () => {
      try {
        if (new URLSearchParams(location.search).has('plain')) throw new Error('asked for')
        setComposite(new Composite(c))
      } catch {
        useLook.setState({ plain: true })
      }
    }
    begin()
    // A graphics processor that is reset takes all with it; the layers are fetched again when it is back.
    const gone = (e: Event) => {
      e.preventDefault()
      setLost(true)
      setComposite(null)
      setShown('')
      last.current.clear()
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
    }
  }, [])

  const all = useMemo(() => ({ lamps, aside: [...Object.values(aside?.lamps ?? {}), ...Object.values(base?.lamps ?? {})] }), [lamps, aside, base])
  const finestSize = useMemo(() => {
    let out: FrameNews | undefined
    for (const l of Object.values(all.lamps)) {
      const f = best(frames, l.key)
      if (f && (!out || f.level > out.level)) out = f
    }
    return out
  }, [frames, all])

  // Fetch what the finest layers have and we have not. A new sight is swapped in
  // when every light has a layer of it; within a sight each comes as it arrives.
  useEffect(() => {
    if (!composite || !finestSize || id === null) return
    const stop = new AbortController()
    const wanted: { key: string; stamp: string; frame: FrameNews; lamp: string; part: number; scale: number; address: string }[] = []
    let ready = true
    const want = (f: LampFact, needed: boolean) => {
      const frame = best(frames, f.key)
      const news = frame?.layers[f.key]
      if (!frame || !news) {
        ready = ready && !needed
        return
      }
      for (const [part] of partsOf(way, f.shines)) {
        if ((news.scales[part] ?? 0) > 0) wanted.push({ key: partKey(sight, f.key, part), stamp: `${frame.level}:${news.parts[part]}`, frame, lamp: f.key, part, scale: news.scales[part] ?? 1, address: news.parts[part] ?? '' })
      }
    }
    Object.values(all.lamps).forEach((f) => want(f, true))
    all.aside.forEach((f) => want(f, false))
    const fresh = shown !== sight
    if (fresh && !ready) return
    const missing = wanted.filter((w) => composite.stamp(w.key) !== w.stamp)
    canvas.current?.setAttribute('data-waiting', String(missing.length))
    if (missing.length === 0 && !fresh) return
    const load = async (w: (typeof wanted)[number]) => {
      const r = await fetch(`/api/setups/${id}/layers/${w.frame.frame}/${w.lamp}/${w.address}`, { signal: stop.signal })
      if (!r.ok) return false
      const words = new Uint32Array(await r.arrayBuffer())
      if (stop.signal.aborted || words.length !== w.frame.width * w.frame.height) return false
      composite.put(w.key, w.stamp, w.scale, words, w.frame.width, w.frame.height)
      return true
    }
    void Promise.all(missing.map((w) => load(w).catch(() => false))).then((got) => {
      if (stop.signal.aborted) return
      canvas.current?.setAttribute('data-waiting', String(got.filter((g) => !g).length))
      if (fresh && !wanted.every((w) => composite.stamp(w.key))) return
      if (!got.some(Boolean) && !fresh) return
      if (fresh) last.current.clear()
      full.current = { w: finestSize.width, h: finestSize.height }
      const keep = new Set(wanted.map((w) => w.key))
      for (const k of last.current.values()) for (const part of [0, 1, 2]) keep.add(partKey(sight, k, part))
      for (const m of ['albedo', 'normals', 'edges', 'reach', 'crowding']) keep.add(`map/${m}`)
      for (const i of Object.keys(all.lamps)) keep.add(`rt/${sight}/${i}`)
      composite.keep(keep)
      setShown(sight)
      useLook.setState((s) => ({ drawn: s.drawn + 1, preview: null }))
    })
    return () => stop.abort()
  }, [composite, frames, finestSize, id, all, shown, sight, way])

  // Where things are under the picture, for hands and readings.
  const mapFrame = finestSize?.frame
  useEffect(() => {
    // While the eye is astray the frame is of where it was before.
    if (!composite || !finestSize || id === null || !mapFrame || astray) return
    const stop = new AbortController()
    const at = cameraNow()
    fetch(`/api/setups/${id}/maps/${mapFrame}`, { signal: stop.signal })
      .then(async (r) => {
        if (!r.ok || !at) return
        const data = await r.arrayBuffer()
        const both = new Uint32Array(data)
        const floats = new Float32Array(data)
        const n = finestSize.width * finestSize.height
        if (both.length !== 2 * n) return
        const ids = new Uint32Array(n)
        const distances = new Float32Array(n)
        for (let i = 0; i < n; i++) {
          ids[i] = both[2 * i] ?? 0
          distances[i] = floats[2 * i + 1] ?? 0
        }
        setGround({ camera: at, w: finestSize.width, h: finestSize.height, ids, distances })
        composite.putObjects(ids, finestSize.width, finestSize.height)
        useLook.setState((s) => ({ drawn: s.drawn + 1 }))
      })
      .catch(() => undefined)
    return () => stop.abort()
    // The frame's name says all that the map depends on.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [composite, id, mapFrame, astray])

  // Pictures of something else than light.
  const map = waySpecs[way].map
  const chosen = useLook((s) => s.chosen)
  const reachOf = map === 'reach' && chosen ? (lamps[chosen]?.key ?? '') : ''
  const lampKeys = map === 'crowding' ? Object.values(lamps).map((l) => l.key).join() : ''
  useEffect(() => {
    if (!composite || !map || !mapFrame || !finestSize || id === null || (map === 'reach' && !chosen)) return
    const stop = new AbortController()
    fetch(`/api/setups/${id}/drawn/${mapFrame}/${map}?light=${chosen ?? ''}`, { signal: stop.signal })
      .then(async (r) => {
        if (r.status !== 200) return
        const data = await r.arrayBuffer()
        const n = finestSize.width * finestSize.height
        if (data.byteLength !== n && data.byteLength !== 4 * n) return
        if (map === 'reach' || map === 'crowding') composite.putCodes(`map/${map}`, mapFrame + reachOf + lampKeys + revision, new Uint8Array(data), finestSize.width, finestSize.height)
        else composite.put(`map/${map}`, mapFrame, Number(r.headers.get('X-Scale') ?? 1), new Uint32Array(data), finestSize.width, finestSize.height)
        useLook.setState((s) => ({ drawn: s.drawn + 1 }))
      })
      .catch(() => undefined)
    return () => stop.abort()
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [composite, id, mapFrame, map, reachOf, lampKeys, revision])

  // Shadows as the target draws them, one light after another.
  const target = asDrawn(way) ? runtimeLights(doc, lamps) : ''
  useEffect(() => {
    if (!composite || !target || !mapFrame || !finestSize || id === null || astray) return
    const stop = new AbortController()
    const get = async () => {
      for (const [light, stamp] of JSON.parse(target) as [string, string][]) {
        const key = `rt/${sight}/${light}`
        if (stop.signal.aborted || composite.stamp(key) === mapFrame + stamp) continue
        const r = await fetch(`/api/setups/${id}/runtime/${mapFrame}/${light}`, { signal: stop.signal })
        if (r.status !== 200) continue
        const words = new Uint32Array(await r.arrayBuffer())
        if (stop.signal.aborted || words.length !== finestSize.width * finestSize.height) return
        composite.put(key, mapFrame + stamp, Number(r.headers.get('X-Scale') ?? 1), words, finestSize.width, finestSize.height)
        useLook.setState((s) => ({ drawn: s.drawn + 1 }))
      }
      canvas.current?.setAttribute('data-runtime', mapFrame)
    }
    get().catch(() => undefined)
    return () => stop.abort()
  }, [composite, target, mapFrame, finestSize, id, sight, astray])

  const arrived = useLook((s) => s.drawn)
  const pen = useRef(0)
  // The exposure of the picture that is drawn: another view's begins with its first light.
  const keptAt = useRef(0)
  const drawnEv = useRef(ev)
  useEffect(() => {
    if (!composite || !doc || !shown || !cameraOf) return
    cancelAnimationFrame(pen.current)
    const inMotion = preview && (moving || astray || shown !== sight)
    if (inMotion || (shown === sight && !astray)) drawnEv.current = ev
    const at = drawnEv.current
    const [low, high] = logRange(way, at)
    const f: Finish = {
      exposure: exposureFactor(at),
      ev: at,
      curve: doc.curve,
      way: waySpecs[way].code,
      split: way === 'beside' ? 'wipe' : way === 'gap' ? 'difference' : aside && waySpecs[way].code === 0 ? split : 'none',
      wipe,
      exposureB: exposureFactor(asDrawn(way) ? at : (aside?.doc.views[view]?.ev ?? ev)),
      curveB: asDrawn(way) ? doc.curve : (aside?.doc.curve ?? doc.curve),
      chosen: [...objects],
      low,
      high,
      palette: map ? codePalette(way) : undefined,
    }
    const itemsOf = (d: Setup, facts: Record<string, LampFact>, only: ReadonlySet<string>, remember: boolean): Item[] => {
      const g = gains(d, facts, warmth, only)
      const out: Item[] = []
      for (const [light, fact] of Object.entries(facts)) {
        const l = d.lights[light]
        if (!l || (way === 'sky' && l.kind !== 'sky') || (way === 'emissive' && l.kind !== 'emissive')) continue
        let key = fact.key
        if (composite.stamp(partKey(shown, key, way === 'bounced' ? 1 : 0)) === undefined) key = last.current.get(light) ?? key
        else if (remember) last.current.set(light, key)
        const gain = g[light] ?? ([0, 0, 0] as RGB)
        for (const [part, sign] of partsOf(way, fact.shines)) out.push({ key: partKey(shown, key, part), gain: [gain[0] * sign, gain[1] * sign, gain[2] * sign] })
      }
      return out
    }
    /** As the target shows it: lightmaps for what is baked, the light's own picture for what is not. */
    const runtimeItems = (): Item[] => {
      const g = gains(doc, lamps, warmth, alone)
      return Object.entries(lamps).flatMap(([light, fact]): Item[] => {
        const l = doc.lights[light]
        const gain = g[light] ?? ([0, 0, 0] as RGB)
        const own = `rt/${shown}/${light}`
        if (!l) return []
        if (l.carry === 'baked' || l.kind === 'sky' || l.kind === 'emissive' || composite.stamp(own) === undefined) return [{ key: partKey(shown, fact.key, 0), gain }]
        const items: Item[] = [{ key: own, gain }]
        if (l.carry === 'split') items.push({ key: partKey(shown, fact.key, 1), gain })
        if (fact.shines) items.push({ key: partKey(shown, fact.key, 2), gain })
        return items
      })
    }
    const done = () => {
      canvas.current?.setAttribute('data-drawn', String(Number(canvas.current.getAttribute('data-drawn') ?? 0) + 1))
      canvas.current?.setAttribute('data-frame', shown)
    }
    pen.current = requestAnimationFrame(() => {
      // Until a moved eye has its own layers, its picture in motion is shown.
      if (inMotion) {
        composite.resize(preview.width * 3, preview.height * 3)
        composite.drawPreview(preview.n, new Uint32Array(bytesOf(preview.words).buffer), preview.width, preview.height, preview.scale, f)
        canvas.current?.setAttribute('data-previews', String(Number(canvas.current.getAttribute('data-previews') ?? 0) + 1))
        return
      }
      if (full.current.w > 0) composite.resize(full.current.w, full.current.h)
      if (map) {
        composite.draw([{ key: `map/${map}`, gain: [1, 1, 1] }], f)
      } else {
        let others: Item[] | null = null
        if (way === 'runtime') {
          composite.draw(runtimeItems(), f, aside && f.split !== 'none' ? itemsOf(aside.doc, aside.lamps, new Set(), false) : null)
          return done()
        }
        if (way === 'beside' || way === 'gap') {
          composite.draw(itemsOf(doc, lamps, alone, true), f, runtimeItems())
          return done()
        }
        if (aside && f.split !== 'none') others = itemsOf(aside.doc, aside.lamps, new Set(), false)
        else if (way === 'mark') others = itemsOf(doc, lamps, picked.size ? picked : new Set(['']), false)
        if (base && f.split !== 'none') composite.draw(itemsOf(base.doc, base.lamps, new Set(), false), { ...f, exposure: exposureFactor(base.doc.views[view]?.ev ?? ev), curve: base.doc.curve }, others)
        else composite.draw(itemsOf(doc, lamps, alone, true), f, others)
      }
      done()
    })
    if (map || moving) return
    let off = false
    const t = setTimeout(() => {
      composite.settle()
      const now = Date.now()
      const s = useSetup.getState()
      if (s.id !== null && canvas.current && way === 'picture' && !aside && alone.size === 0 && shown === sight && finest(s.frames[s.sight], lamps)?.level === 2 && now - keptAt.current > 15_000) {
        keptAt.current = now
        keepPicture(s.id, canvas.current)
      }
      if (neutral(way)) return
      void composite.read(0, 0, composite.width, composite.height).then((rgba) => off || useLook.setState({ histogram: histogram(rgba) }))
    }, 120)
    return () => {
      off = true
      clearTimeout(t)
    }
  }, [composite, doc, lamps, warmth, alone, shown, sight, astray, cameraOf, ev, arrived, way, map, picked, preview, moving, objects, split, wipe, aside, base, view])

  const aspect = cameraOf?.aspect ?? 16 / 9
  const size = useFit(box, aspect)
  const navigation = useNavigation(canvas)

  const colourAt = async (x: number, y: number): Promise<RGB | null> => {
    if (!composite || shown !== sight || map) return null
    const p = await composite.read(Math.floor(x * composite.width), Math.floor(y * composite.height), 1, 1)
    return p.length < 3 ? null : [p[0] ?? 0, p[1] ?? 0, p[2] ?? 0]
  }

  const point = (e: React.PointerEvent) => {
    if (!composite || !canvas.current || !shown || !cameraOf || moving) return
    const r = canvas.current.getBoundingClientRect()
    const x = (e.clientX - r.left) / r.width
    const y = (e.clientY - r.top) / r.height
    if (x < 0 || y < 0 || x >= 1 || y >= 1) return
    pointer.at = { x, y }
    if (useLook.getState().weighing) void weighHere()
    const here = under(cameraOf, x, y)
    useLook.setState({ under: here ? String(here.object) : '' })
    if (map || shown !== sight || astray) return
    void colourAt(x, y).then((c) => {
      if (!c || pointer.at?.x !== x || pointer.at.y !== y) return // it has moved on
      const l = luminance(c)
      if (neutral(way)) useLook.setState({ spot: null, spotLux: (l * Math.PI) / 0.18 })
      else {
        useLook.setState({ spot: l, spotLux: null })
        luxAtRest()
      }
    })
  }

  const steps = legend(way, ev)
  return (
    <div className="picture-box" ref={box}>
      <div
        className="picture"
        style={size}
        data-testid="picture-frame"
        data-eye={cameraOf?.eye.map((v) => v.toFixed(3)).join(' ')}
        id={pictureId}
        tabIndex={0}
        role="application"
        aria-label={`Picture of the view ${cameraOf?.name ?? ''}. Arrow keys move a pointer, Enter clicks, Space presses and lets go, Q weighs, P pins.`}
        onKeyDown={(e) => {
          if (e.ctrlKey || e.metaKey || e.altKey || useLook.getState().walking || e.target !== e.currentTarget) return
          if (!crosshairKey(e, e.currentTarget)) return
          e.preventDefault()
          e.stopPropagation()
        }}
        {...navigation}
        onPointerMove={(e) => {
          navigation.onPointerMove(e)
          point(e)
        }}
        onPointerLeave={() => {
          pointer.at = null
          useLook.setState({ spot: null, spotLux: null, under: '' })
        }}
      >
        <canvas ref={canvas} className={shown ? 'ready' : ''} data-testid="picture" data-sight={shown} hidden={plain} />
        {plain && id !== null && mixed(frames, lamps) && <PlainPicture id={id} view={view} stamp={`${revision}-${mapFrame}-${mixed(frames, lamps)?.samples}`} doc={doc} alone={alone} />}
        {!shown && !lost && !(plain && mixed(frames, lamps)) && <Waiting setup={id ?? addressed()} ready={doc !== null} />}
        {((aside && split === 'wipe' && !asDrawn(way)) || way === 'beside') && <Wipe at={wipe} />}
        {cameraOf && doc && <Overlay camera={cameraOf} doc={doc} warmth={warmth} width={size.width} height={size.height} />}
        {cameraOf && doc && (
          <ToolLayer colourAt={colourAt} />
        )}
        {lost && !plain && (
          <div className="waiting" role="alert">
            <p>
              The graphics processor has let the picture go; it is asked for again.{' '}
              <button type="button" className="word" onClick={() => useLook.setState({ plain: true })}>
                Let the server compose it
              </button>
            </p>
          </div>
        )}
        <Cross />
        {steps.length > 0 && (
          <ol className="legend" aria-label={`Legend: ${waySpecs[way].name}`}>
            {steps.map((s) => (
              <li key={s.words}>
                <span className="swatch" style={{ background: s.colour }} />
                {s.words}
              </li>
            ))}
          </ol>
        )}
      </div>
    </div>
  )
}

/** Cross is the pointer of the arrow keys. */
function Cross() {
  const at = useCrosshair((s) => s.at)
  const held = useCrosshair((s) => s.held !== null)
  return at && <span className={`crosshair${held ? ' held' : ''}`} style={{ left: `${at.x * 100}%`, top: `${at.y * 100}%` }} />
}

/** Waiting stands in for the picture until there is one: how the setup looked last, and what is being done. */
function Waiting({ setup, ready }: { setup: number; ready: boolean }) {
  const [last] = useState(() => lastPicture(setup))
  const since = useSeconds()
  return (
    <div className="waiting" role="status">
      {last && <img alt="As it looked last" src={last} />}
      <ol>
        <li className={ready ? 'done' : ''}>
          The place is made ready: its file read, its surfaces sorted for rays {ready ? '' : `· ${since} s`}
        </li>
        <li>First light, coarse, then finer{ready ? ` · ${since} s` : ''}</li>
      </ol>
    </div>
  )
}

/** useSeconds counts whole seconds since it was first asked. */
function useSeconds() {
  const [n, setN] = useState(0)
  useEffect(() => {
    const t = setInterval(() => setN((v) => v + 1), 1000)
    return () => clearInterval(t)
  }, [])
  return n
}

/** Wipe is the line between two states, to drag. */
function Wipe({ at }: { at: number }) {
  const move = (e: React.PointerEvent) => {
    if (!captured(e.currentTarget, e.pointerId)) return
    const r = (e.currentTarget.parentElement as HTMLElement).getBoundingClientRect()
    useLook.setState({ wipe: Math.min(Math.max((e.clientX - r.left) / r.width, 0), 1) })
  }
  return (
    <div
      className="wipe"
      role="slider"
      tabIndex={0}
      aria-label="Where one state ends and the other begins"
      aria-valuenow={Math.round(at * 100)}
      style={{ left: `${at * 100}%` }}
      onPointerDown={(e) => {
        e.stopPropagation()
        capture(e.currentTarget, e.pointerId)
      }}
      onPointerMove={move}
      onPointerUp={(e) => e.stopPropagation()}
      onKeyDown={(e) => {
        const by = { ArrowLeft: -0.02, ArrowRight: 0.02 }[e.key]
        if (by === undefined) return
        e.preventDefault()
        useLook.setState((s) => ({ wipe: Math.min(Math.max(s.wipe + by, 0), 1) }))
      }}
    />
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

/** useFit is the largest size of an aspect that fits beside the ladder, and between the lines over and under the picture. */
function useFit(box: React.RefObject<HTMLDivElement | null>, aspect: number) {
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
