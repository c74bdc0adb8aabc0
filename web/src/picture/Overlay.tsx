import { lazy, Suspense, useRef } from 'react'
import type { Light, Setup, Warmth } from '../api.gen'
import { len, project, sub, type Camera, type V3 } from '../kernel/camera'
import { features } from '../kernel/feature'
import { choose, useLook } from '../kernel/look'
import { isOff } from '../kernel/sums'
import { toneOf } from '../kernel/tone'
import { standing } from '../kernel/travel'
import { covered } from './ground'
import { Blockers, SunDial } from './Marks'

// Fetched when something is chosen.
const Handles = lazy(() => import('./Handles').then((m) => ({ default: m.Handles })))
const MoverHandle = lazy(() => import('./MoverHandle').then((m) => ({ default: m.MoverHandle })))

interface Props {
  camera: Camera
  doc: Setup
  warmth: Warmth
  width: number
  height: number
}

const placed = (l: Light) => l.kind !== 'sky' && l.kind !== 'emissive' && l.kind !== 'sun'

/** Overlay is what is drawn over the picture: handles, guides, pins. All of it goes away with one key. */
export function Overlay({ camera, doc, warmth, width, height }: Props) {
  const handles = useLook((s) => s.handles)
  const thirds = useLook((s) => s.thirds)
  const safe = useLook((s) => s.safe)
  const picked = useLook((s) => s.picked)
  const chosen = useLook((s) => s.objects.length > 0)
  const box = useRef<SVGSVGElement>(null)
  const at = (p: V3) => {
    const q = project(camera, p)
    return q ? { x: q.x * width, y: q.y * height, depth: q.depth, u: q.x, v: q.y } : null
  }
  const colourOf = (id: string, l: Light) => toneOf(doc, id, l, warmth)
  return (
    <svg ref={box} className="overlay" width={width} height={height} aria-hidden={!handles} data-testid="overlay">
      {thirds && (
        <path className="guide" d={[1, 2].map((i) => `M ${(i * width) / 3} 0 V ${height} M 0 ${(i * height) / 3} H ${width}`).join(' ')} />
      )}
      {safe && (
        <>
          <rect className="guide" x={width * 0.035} y={height * 0.035} width={width * 0.93} height={height * 0.93} />
          <rect className="guide dotted" x={width * 0.05} y={height * 0.05} width={width * 0.9} height={height * 0.9} />
        </>
      )}
      {handles &&
        Object.entries(doc.lights).map(([id, raw]) => {
          const l = standing(id, raw)
          if (!placed(l) || picked.has(id)) return null
          const p = at(l.position)
          if (!p || p.x < 0 || p.y < 0 || p.x > width || p.y > height) return null
          const behind = covered(camera, p.u, p.v, len(sub(l.position, camera.eye)))
          return (
            <g
              key={id}
              className={`mark${behind ? ' behind' : ''}${isOff(doc, l) ? ' off' : ''}`}
              transform={`translate(${p.x} ${p.y})`}
              data-mark={id}
              onPointerDown={(e) => {
                if (e.button !== 0) return
                e.stopPropagation()
                choose(id, e.shiftKey || e.ctrlKey)
              }}
            >
              <title>{l.name}</title>
              <circle r={9} className="touch" />
              <circle r={4.5} className="dark" />
              <circle r={3} fill={colourOf(id, l)} />
            </g>
          )
        })}
      {handles && [...picked].map((id) => {
        const raw = doc.lights[id]
        if (!raw) return null
        const l = standing(id, raw)
        if (l.kind === 'sun') return <SunDial key={id} id={id} l={l} camera={camera} doc={doc} box={box} />
        return placed(l) ? <Suspense key={id}><Handles id={id} l={l} doc={doc} camera={camera} width={width} height={height} at={at} box={box} colour={colourOf(id, l)} /></Suspense> : null
      })}
      {handles && <Blockers doc={doc} at={at} />}
      <Suspense>{handles && chosen && <MoverHandle doc={doc} camera={camera} at={at} box={box} />}</Suspense>
      {features.map((f) => f.overlay && <f.overlay key={f.id} camera={camera} doc={doc} width={width} height={height} at={at} />)}
    </svg>
  )
}
