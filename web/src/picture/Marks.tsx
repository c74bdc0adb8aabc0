import type { Light, Setup } from '../api.gen'
import { norm, times, type Camera, type V3 } from '../kernel/camera'
import { lightEdits, lockedLight } from '../kernel/lightEdits'
import { useThings } from '../kernel/things'
import { useDrag } from './drag'
import type { Pull } from './handleDrags'
import { segment, type Projected } from './outlines'

/** Blockers are unseen solids: drawn as the boxes round them. */
export function Blockers({ doc, at }: { doc: Setup; at: Projected }) {
  const things = useThings((s) => s.things)
  const list = Object.values(doc.objects ?? {}).filter((o) => o.part === 'blocker')
  return list.flatMap((o) =>
    things
      .filter((t) => t.path === o.path || t.path.startsWith(`${o.path}/`))
      .map((t) => {
        const c = (i: number): V3 => [(i & 1 ? t.hi : t.lo)[0], (i & 2 ? t.hi : t.lo)[1], (i & 4 ? t.hi : t.lo)[2]]
        const edges = [0, 1, 2, 3, 4, 5, 6, 7].flatMap((i) => [1, 2, 4].filter((b) => !(i & b)).map((b) => segment(c(i), c(i | b), at)))
        const name = at(c(7))
        return (
          <g key={t.path} className="blocker" data-blocker={t.path}>
            <path d={edges.join(' ')} />
            {name && (
              <text x={name.x + 4} y={name.y - 4}>
                {o.name || t.name} · blocker
              </text>
            )}
          </g>
        )
      }),
  )
}

/** SunDial is a plan of the sky: north of the view is up, the rim is the horizon, the middle is overhead. */
export function SunDial({ id, l, camera, doc, box }: { id: string; l: Light; camera: Camera; doc: Setup; box: React.RefObject<SVGSVGElement | null> }) {
  const R = 40
  const centre = { x: R + 16, y: R + 16 }
  const to = times(norm(l.aim), -1)
  const heading = Math.atan2(camera.aim[0], -camera.aim[2])
  const azimuth = Math.atan2(to[0], -to[2]) - heading
  const height = Math.asin(Math.min(Math.max(to[1], -1), 1))
  const r = R * (1 - Math.max(height, 0) / (Math.PI / 2))
  const x = centre.x + r * Math.sin(azimuth)
  const y = centre.y - r * Math.cos(azimuth)
  const locked = lockedLight(doc, l)
  const { pull } = useDrag<Pull>(box, (t, done) => lightEdits.handle(id, doc, t.changes, undefined, t.words, done), lightEdits.drop)
  const begin = (e: React.PointerEvent) => {
    if (locked) return
    pull(e, (p) => {
      const dx = p.x * p.w - centre.x
      const dy = p.y * p.h - centre.y
      const q = Math.min(Math.hypot(dx, dy) / R, 1)
      const h = Math.max((1 - q) * (Math.PI / 2), 0.01)
      const a = Math.atan2(dx, -dy) + heading
      const d: V3 = [Math.cos(h) * Math.sin(a), Math.sin(h), -Math.cos(h) * Math.cos(a)]
      return { changes: { aim: times(d, -1) }, words: `${((h * 180) / Math.PI).toFixed(0)}° high` }
    })
  }
  return (
    <g className="handles dial" data-handles={id}>
      <circle className="plate" cx={centre.x} cy={centre.y} r={R} onPointerDown={begin} />
      <circle className="cone" cx={centre.x} cy={centre.y} r={R / 2} />
      <path className="cone" d={`M ${centre.x} ${centre.y - R} v 7`} />
      <line className="aim" x1={centre.x} y1={centre.y} x2={x} y2={y} />
      <g className="grip" data-grip="sun" transform={`translate(${x} ${y})`} onPointerDown={begin}>
        <circle r={9} className="touch" />
        <circle r={5} className="ring" />
      </g>
      <text className="name" x={centre.x - R} y={centre.y + R + 15}>
        {l.name} · {((height * 180) / Math.PI).toFixed(0)}° high
      </text>
    </g>
  )
}
