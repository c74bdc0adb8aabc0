import { useEffect, useRef } from 'react'
import { useShallow } from 'zustand/react/shallow'
import type { LampFact, Setup, Sharp, Warmth } from '../api.gen'
import { useComparison } from '../kernel/comparison'
import { neutral } from '../kernel/live'
import { useLook } from '../kernel/look'
import { lampsNow, useSetup } from '../kernel/store'
import { exposureFactor, finest } from '../kernel/sums'
import { useTables, wantTable } from '../kernel/tables'
import type { Composite, Item } from './composite'
import { programOf } from '../kernel/grade'
import { gradeOf } from '../kernel/looks'
import type { Finish } from './develop'
import { isGround } from './ground'
import { lensNumbers, lensOf } from '../kernel/lens'
import { useThings } from '../kernel/things'
import { histogram } from './histogram'
import { keepPicture } from './lastPicture'
import { itemsOf, runtimeItems, type Shown } from './parts'
import type { Layers } from './useLayers'
import { sharpKey } from './useSharp'
import { asDrawn, codePalette, logRange, waySpecs } from './ways'

const bytesOf = (b64: string) => Uint8Array.from(atob(b64), (c) => c.charCodeAt(0))

const keptEach = 15_000 // ms between two keepings of the picture for the next opening

/** count adds one to a number that the canvas tells of itself. */
const count = (c: HTMLCanvasElement | null, name: string) => c?.setAttribute(name, String(Number(c.getAttribute(name) ?? 0) + 1))

/** drawWay draws the way of seeing that is chosen. */
function drawWay(composite: Composite, s: Shown, doc: Setup, lamps: Record<string, LampFact>, f: Finish) {
  const { alone, picked } = useLook.getState()
  const { compared, base } = useComparison.getState()
  const none: ReadonlySet<string> = new Set()
  const both = compared && f.split !== 'none'
  if (s.way === 'runtime') composite.draw(runtimeItems(s, doc, lamps, alone), f, both ? itemsOf(s, compared.doc, compared.lamps, none, false) : null)
  else if (s.way === 'beside' || s.way === 'gap') composite.draw(itemsOf(s, doc, lamps, alone, true), f, runtimeItems(s, doc, lamps, alone))
  else {
    let others: Item[] | null = null
    if (both) others = itemsOf(s, compared.doc, compared.lamps, none, false)
    else if (s.way === 'mark') others = itemsOf(s, doc, lamps, picked.size ? picked : new Set(['']), false)
    const view = useSetup.getState().view
    if (base && f.split !== 'none') composite.draw(itemsOf(s, base.doc, base.lamps, none, false), { ...f, exposure: exposureFactor(base.doc.views[view]?.ev ?? f.ev), curve: base.doc.curve, grade: programOf(gradeOf(base.doc, view)) }, others)
    else composite.draw(itemsOf(s, doc, lamps, alone, true), f, others)
  }
}

/** useTable fetches a table of colour, by its hash, for the composite. */
function useTable(composite: Composite | null, hash: string) {
  const table = useTables((t) => t.tables[hash])
  useEffect(() => {
    if (hash) wantTable(hash)
    if (composite && table) composite.putTable(hash, table.side, table.rgb)
  }, [composite, hash, table])
  return table
}

/** useDrawing draws the picture anew in the next display frame after anything that it shows has changed. */
export function useDrawing(composite: Composite | null, canvas: React.RefObject<HTMLCanvasElement | null>, { shown, full, last }: Layers, crisp: Sharp | null, warmth: Warmth) {
  const doc = useSetup((s) => s.doc)
  const view = useSetup((s) => s.view)
  const lamps = useSetup(lampsNow)
  const sight = useSetup((s) => s.sight)
  const astray = useSetup((s) => s.astray)
  const { alone, way, picked, camera, moving, preview, objects, split, wipe, drawn: arrived, showFocus, exposed } = useLook(useShallow(({ alone, way, picked, camera, moving, preview, objects, split, wipe, drawn, showFocus, exposed }) => ({ alone, way, picked, camera, moving, preview, objects, split, wipe, drawn, showFocus, exposed })))
  const things = useThings((s) => s.things)
  const hash = (doc && gradeOf(doc, view)?.table?.blob) ?? ''
  const table = useTable(composite, hash)
  const { compared, base } = useComparison()
  const ev = exposed ?? doc?.views[view]?.ev ?? 0
  const cameraOf = camera ?? doc?.views[view]
  const map = waySpecs[way].map
  const pen = useRef(0)
  const keptAt = useRef(0)
  // The exposure of the picture that is drawn: another view's begins with its first light.
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
      split: way === 'beside' ? 'wipe' : way === 'gap' ? 'difference' : compared && waySpecs[way].code === 0 ? split : 'none',
      wipe,
      exposureB: exposureFactor(asDrawn(way) ? at : (compared?.doc.views[view]?.ev ?? ev)),
      curveB: asDrawn(way) ? doc.curve : (compared?.doc.curve ?? doc.curve),
      grade: programOf(gradeOf(doc, view)),
      gradeB: programOf(gradeOf(asDrawn(way) ? doc : (compared ?? { doc }).doc, view)),
      lens: isGround(cameraOf) ? lensOf({ ...cameraOf, ...lensNumbers(doc.views[view]) }, things) : null,
      showFocus,
      chosen: [...objects],
      low,
      high,
      palette: map ? codePalette(way) : undefined,
    }
    pen.current = requestAnimationFrame(() => {
      // Until a moved eye has its own layers, its picture in motion is shown.
      if (inMotion) {
        composite.resize(preview.width * 3, preview.height * 3)
        composite.drawPreview(preview.n, new Uint32Array(bytesOf(preview.words).buffer), preview.width, preview.height, preview.scale, f)
        count(canvas.current, 'data-previews')
        return
      }
      canvas.current?.setAttribute('data-sharp', crisp ? String(crisp.level) : '')
      const size = crisp ? { w: crisp.width, h: crisp.height } : full.current
      if (size.w > 0) composite.resize(size.w, size.h)
      if (map) composite.draw([{ key: `map/${map}`, gain: [1, 1, 1] }], f)
      else if (crisp) composite.draw([{ key: sharpKey, gain: [1, 1, 1] }], f)
      else drawWay(composite, { sight: shown, way, warmth, stamp: (k) => composite.stamp(k), last: last.current }, doc, lamps, f)
      count(canvas.current, 'data-drawn')
      canvas.current?.setAttribute('data-frame', shown)
    })
    if (map || moving) return
    let off = false
    const t = setTimeout(() => {
      composite.settle()
      const now = Date.now()
      const s = useSetup.getState()
      if (s.id !== null && canvas.current && way === 'picture' && !compared && alone.size === 0 && shown === sight && finest(s.frames[s.sight], lamps)?.level === 2 && now - keptAt.current > keptEach) {
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
  }, [composite, canvas, full, last, crisp, doc, lamps, warmth, alone, shown, sight, astray, cameraOf, ev, arrived, way, map, picked, preview, moving, objects, split, wipe, compared, base, view, table, showFocus, things])
}
