import { Button } from '@mui/material'
import { lazy, Suspense, useRef } from 'react'
import type { Warmth } from '../api.gen'
import { addressed } from '../kernel/address'
import { useComparison } from '../kernel/comparison'
import { neutral } from '../kernel/live'
import { useLook, type Way } from '../kernel/look'
import { lampsNow, useSetup } from '../kernel/store'
import { luminance, mixed, type RGB } from '../kernel/sums'
import { crosshairKey, pictureId } from './crosshair'
import { useFit } from './fit'
import { under } from './ground'
import { useNavigation } from './navigate'
import { Cross, PlainPicture, Waiting, Wipe } from './Over'
import { Overlay } from './Overlay'
import { useTool } from './tool'
import type { Composite } from './composite'
import { useComposite } from './useComposite'
import { useDrawing } from './useDrawing'
import { useLayers } from './useLayers'
import { useSharp } from './useSharp'
import { useGround, useMap, useRuntime } from './useMaps'
import { asDrawn, legend, waySpecs } from './ways'
import { luxAtRest, pointer, weighHere } from './weighing'

const Pinch = lazy(() => import('./Pinch')) // where there are fingers
const ToolLayer = lazy(() => import('./ToolLayer').then((m) => ({ default: m.ToolLayer })))

/** usePointing tells what lies under the pointer: the object, its light, and while weighing what lights it. */
function usePointing(composite: Composite | null, canvas: React.RefObject<HTMLCanvasElement | null>, shown: string) {
  const moved = useLook((s) => s.camera)
  const saved = useSetup((s) => s.doc?.views[s.view])
  const camera = moved ?? saved
  const sight = useSetup((s) => s.sight)
  const astray = useSetup((s) => s.astray)
  const way = useLook((s) => s.way)
  const moving = useLook((s) => s.moving)
  const map = waySpecs[way].map
  const colourAt = async (x: number, y: number): Promise<RGB | null> => {
    if (!composite || shown !== sight || map) return null
    const p = await composite.read(Math.floor(x * composite.width), Math.floor(y * composite.height), 1, 1)
    return p.length < 3 ? null : [p[0] ?? 0, p[1] ?? 0, p[2] ?? 0]
  }

  const point = (e: React.PointerEvent) => {
    if (!composite || !canvas.current || !shown || !camera || moving) return
    const r = canvas.current.getBoundingClientRect()
    const x = (e.clientX - r.left) / r.width
    const y = (e.clientY - r.top) / r.height
    if (x < 0 || y < 0 || x >= 1 || y >= 1) return
    pointer.at = { x, y }
    const l = useLook.getState()
    if (l.weighing || l.weighs) void weighHere()
    const here = under(camera, x, y)
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

  const leave = () => {
    pointer.at = null
    useLook.setState((s) => ({ spot: null, spotLux: null, under: '', ...(s.weighs ? { weighing: null } : {}) }))
  }
  return { colourAt, point, leave }
}

/** pictureKeys move the crosshair over the picture. */
function pictureKeys(e: React.KeyboardEvent<HTMLDivElement>) {
  if (e.ctrlKey || e.metaKey || e.altKey || useLook.getState().walking || e.target !== e.currentTarget) return
  if (!crosshairKey(e, e.currentTarget)) return
  e.preventDefault()
  e.stopPropagation()
}

/** Lost says that the graphics processor has let the picture go. */
function Lost() {
  return (
    <div className="waiting" role="alert">
      <p>
        The graphics processor has let the picture go; it is asked for again.{' '}
        <Button className="word" onClick={() => useLook.setState({ plain: true })}>
          Let the server compose it
        </Button>
      </p>
    </div>
  )
}

/** Legend says what the colours of a way of seeing mean. */
function Legend({ way, ev }: { way: Way; ev: number }) {
  const steps = legend(way, ev)
  if (steps.length === 0) return null
  return (
    <ol className="legend" aria-label={`Legend: ${waySpecs[way].name}`}>
      {steps.map((s) => (
        <li key={s.words}>
          <span className="swatch" style={{ background: s.colour }} />
          {s.words}
        </li>
      ))}
    </ol>
  )
}

/** Picture composes the sight's layers and follows every edit in the next display frame. */
export function Picture({ warmth }: { warmth: Warmth }) {
  const tool = useTool((s) => s.kind !== null)
  const canvas = useRef<HTMLCanvasElement>(null)
  const box = useRef<HTMLDivElement>(null)
  const plain = useLook((s) => s.plain)
  const doc = useSetup((s) => s.doc)
  const view = useSetup((s) => s.view)
  const lamps = useSetup(lampsNow)
  const frames = useSetup((s) => s.frames[s.sight])
  const id = useSetup((s) => s.id)
  const revision = useSetup((s) => s.revision)
  const alone = useLook((s) => s.alone)
  const way = useLook((s) => s.way)
  const camera = useLook((s) => s.camera)
  const split = useLook((s) => s.split)
  const compared = useComparison((s) => s.compared)
  const wipe = useLook((s) => s.wipe)
  const exposed = useLook((s) => s.exposed)
  const ev = exposed ?? doc?.views[view]?.ev ?? 0
  const cameraOf = camera ?? doc?.views[view]
  const { composite, lost } = useComposite(canvas)
  const layers = useLayers(composite, canvas)
  const { shown, finest } = layers
  useGround(composite, finest)
  useMap(composite, finest)
  useRuntime(composite, finest, canvas)
  useDrawing(composite, canvas, layers, useSharp(composite, layers), warmth)

  const aspect = cameraOf?.aspect ?? 16 / 9
  const size = useFit(box, aspect)
  const frame = useRef<HTMLDivElement>(null)
  const { hands: navigation, drop } = useNavigation(canvas)

  const { colourAt, point, leave } = usePointing(composite, canvas, shown)
  return (
    <div className="picture-box" ref={box}>
      <div
        ref={frame}
        className="picture"
        style={size}
        data-testid="picture-frame"
        data-eye={cameraOf?.eye.map((v) => v.toFixed(3)).join(' ')}
        id={pictureId}
        tabIndex={0}
        role="application"
        aria-label={`Picture of the view ${cameraOf?.name ?? ''}. Arrow keys move a pointer, Enter clicks, Space presses and lets go, Q weighs, P pins.`}
        onKeyDown={pictureKeys}
        {...navigation}
        onPointerMove={(e) => {
          navigation.onPointerMove(e)
          point(e)
        }}
        onPointerLeave={leave}
      >
        <canvas ref={canvas} className={shown ? 'ready' : ''} data-testid="picture" data-sight={shown} hidden={plain} />
        {plain && id !== null && mixed(frames, lamps) && <PlainPicture id={id} view={view} stamp={`${revision}-${finest?.frame}-${mixed(frames, lamps)?.samples}`} doc={doc} alone={alone} />}
        {!shown && !lost && !(plain && mixed(frames, lamps)) && <Waiting setup={id ?? addressed()} ready={doc !== null} />}
        {((compared && split === 'wipe' && !asDrawn(way)) || way === 'beside') && <Wipe at={wipe} />}
        {cameraOf && doc && <Overlay camera={cameraOf} doc={doc} warmth={warmth} width={size.width} height={size.height} />}
        <Suspense fallback={null}>{tool && cameraOf && doc && <ToolLayer colourAt={colourAt} />}</Suspense>
        {lost && !plain && <Lost />}
        <Cross />
        {navigator.maxTouchPoints > 0 && (
          <Suspense fallback={null}>
            <Pinch frame={frame} began={drop} />
          </Suspense>
        )}
        <Legend way={way} ev={ev} />
      </div>
    </div>
  )
}
