import { useRef } from 'react'
import type { Light, Plot, Setup, Stand, Warmth } from '../../api.gen'
import { lightEdits, lockedLight } from '../../kernel/lightEdits'
import { choose, useLook } from '../../kernel/look'
import { stopsText, tidy } from '../../kernel/number'
import { toneOf } from '../../kernel/tone'
import { standing } from '../../kernel/travel'
import { useDrag } from '../../picture/drag'
import { moved, rings, round, spotOf, type Spot } from './geometry'

/** Sizes of the two drawings, in pixels. */
const wide = 416
const planHigh = 300
const sectionHigh = 176

/** Move is what a hand does to a light in the plot. */
export interface Move {
  id: string
  changes: Partial<Light>
  words: string
}

interface At {
  x: number
  y: number
}

/** Sheet is one drawing: where a spot lies in it, and the spot that a pointer means there. */
interface Sheet {
  name: 'plan' | 'section'
  at: (q: Spot) => At
  spot: (p: At, from: Spot) => Spot
}

interface DrawnProps {
  p: Plot
  doc: Setup
  warmth: Warmth
  /** The lights that matter to the subject. */
  shown: Stand[]
  put: (m: Move, done: boolean) => void
}

const placeOf = (p: Plot, doc: Setup, s: Stand) => spotOf(p, standing(s.id, doc.lights[s.id] as Light).position)

/** Drawn is the plan of a subject and the section through it, with its lights, which can be dragged. */
export function Drawn({ p, doc, warmth, shown, put }: DrawnProps) {
  const near = shown.filter((s) => !s.far)
  // The drawing reaches as far as the farthest light that matters, or the camera.
  const far = Math.min(Math.max(...near.map((s) => s.distance * 1.15), 2.2), 12)
  const scale = planHigh / 2 / far
  const floor = Math.min(p.foot - p.pivot[1], ...near.map((s) => placeOf(p, doc, s).up))
  const beyond = Math.max(1.2, ...near.map((s) => placeOf(p, doc, s).up)) + 0.4
  const scaleY = Math.min(scale, sectionHigh / (beyond - floor + 0.5))
  const plan: Sheet = {
    name: 'plan',
    at: (q) => ({ x: wide / 2 + q.side * scale, y: planHigh / 2 - q.away * scale }),
    spot: (m, from) => ({ side: (m.x - wide / 2) / scale, away: (planHigh / 2 - m.y) / scale, up: from.up }),
  }
  const section: Sheet = {
    name: 'section',
    at: (q) => ({ x: wide / 2 + q.away * scaleY, y: sectionHigh - 14 - (q.up - floor) * scaleY }),
    spot: (m, from) => ({ side: from.side, away: (m.x - wide / 2) / scaleY, up: (sectionHigh - 14 - m.y) / scaleY + floor }),
  }
  const ofLight = (s: Stand): Spot => (s.far ? round(s.azimuth, s.height, far * 0.94) : placeOf(p, doc, s))
  const props = { p, doc, warmth, shown, put, ofLight }
  return (
    <>
      <Plan {...props} sheet={plan} scale={scale} far={far} />
      <Section {...props} sheet={section} />
    </>
  )
}

type SheetProps = DrawnProps & { sheet: Sheet; ofLight: (s: Stand) => Spot }

/** pathOf draws the walls that come into a drawing. */
const pathOf = (list: [number, number, number, number][], f: (s: [number, number, number, number]) => [At, At]) =>
  list
    .map((s) => f(s))
    .filter(([a, b]) => Math.max(a.x, b.x) > 0 && Math.min(a.x, b.x) < wide)
    .map(([a, b]) => `M${a.x.toFixed(1)} ${a.y.toFixed(1)}L${b.x.toFixed(1)} ${b.y.toFixed(1)}`)
    .join('')

/** Marks are the lights of a drawing; a hand drags them. */
function Marks({ p, doc, warmth, shown, put, sheet, ofLight, box }: SheetProps & { box: React.RefObject<SVGSVGElement | null> }) {
  const chosen = useLook((s) => s.chosen)
  const { pull } = useDrag<Move>(box, put, lightEdits.drop)
  const drag = (s: Stand, e: React.PointerEvent) => {
    const l = doc.lights[s.id] as Light
    if (e.button !== 0) return
    choose(s.id)
    if (lockedLight(doc, l)) return
    const from = ofLight(s)
    pull(e, (m) => {
      const to = sheet.spot({ x: m.x * m.w, y: m.y * m.h }, from)
      const d = Math.hypot(to.side, to.away, to.up)
      return d < 0.1 ? null : { id: s.id, changes: moved(p, l, s, to), words: s.far ? 'turned' : `${tidy(d)} m from ${p.subject}` }
    })
  }
  return shown.map((s) => {
    const l = doc.lights[s.id] as Light
    const colour = toneOf(doc, s.id, l, warmth)
    const q = sheet.at(ofLight(s))
    return (
      <g key={s.id} className={`plot-light${chosen === s.id ? ' on' : ''}${s.by ? ' hidden-light' : ''}`} data-plot={`${sheet.name}:${s.id}`} transform={`translate(${q.x} ${q.y})`} onPointerDown={(e) => drag(s, e)}>
        <title>{`${l.name}: ${Math.round(s.lux)} lux${s.by ? `, hidden by ${s.by}` : ''}`}</title>
        <circle r={11} className="touch" />
        {s.far ? <path d="M 0 -6 L 5 4 L -5 4 z" fill={colour} /> : <circle r={5} fill={colour} />}
        <text x={8} y={4}>
          {s.part || l.name}
        </text>
      </g>
    )
  })
}

/** Rings lie round the subject: in stops of the chosen light, or in metres. */
function Rings({ hand, up, scale }: { hand: Stand | undefined; up: number; scale: number }) {
  const ring = (r: number, words: string) =>
    r > 0 && (
      <g key={words}>
        <circle className="plot-ring" cx={wide / 2} cy={planHigh / 2} r={r * scale} />
        <text className="ring-text" x={wide / 2 + 3} y={planHigh / 2 - r * scale - 2}>
          {words}
        </text>
      </g>
    )
  if (!hand) return [1, 2, 4, 8].map((r) => ring(r, `${r} m`))
  return rings(hand.distance).map((r) => ring(Math.sqrt(Math.max(r.r ** 2 - up ** 2, 0)), r.stops === 0 ? '0 st' : `${stopsText(r.stops)} st`))
}

/** Cones are the sectors that the aimed lights throw their light into. */
function Cones({ p, doc, shown, sheet, ofLight, scale, far }: SheetProps & { scale: number; far: number }) {
  const chosen = useLook((s) => s.chosen)
  return shown.map((s) => {
    const l = standing(s.id, doc.lights[s.id] as Light)
    const q = sheet.at(ofLight(s))
    if (l.kind !== 'spot' && l.kind !== 'rect' && l.kind !== 'disc') return null
    const tip = spotOf(p, [l.position[0] + l.aim[0], l.position[1] + l.aim[1], l.position[2] + l.aim[2]])
    const d = Math.atan2(tip.side - ofLight(s).side, tip.away - ofLight(s).away)
    const half = ((l.kind === 'spot' ? l.outer : 80) * Math.PI) / 180
    const r = (l.range > 0 ? Math.min(l.range, far * 2) : far * 2) * scale
    return <path key={s.id} className={`plot-cone${chosen === s.id ? ' on' : ''}`} d={`M${q.x} ${q.y}L${q.x + r * Math.sin(d - half)} ${q.y - r * Math.cos(d - half)}A${r} ${r} 0 0 1 ${q.x + r * Math.sin(d + half)} ${q.y - r * Math.cos(d + half)}z`} />
  })
}

function Plan(props: SheetProps & { scale: number; far: number }) {
  const { p, shown, sheet, ofLight, scale } = props
  const box = useRef<SVGSVGElement>(null)
  const chosen = useLook((s) => s.chosen)
  const hand = chosen ? shown.find((s) => s.id === chosen && !s.far) : undefined
  const cam = sheet.at(spotOf(p, p.camera))
  const sin = Math.sin((p.facing * Math.PI) / 180)
  const cos = Math.cos((p.facing * Math.PI) / 180)
  const turn = (x: number, z: number) => sheet.at({ side: x * cos - z * sin, away: -x * sin - z * cos, up: 0 })
  return (
    <svg ref={box} className="plan" width={wide} height={planHigh} viewBox={`0 0 ${wide} ${planHigh}`} role="img" aria-label={`Plan round ${p.subject}`}>
      <path className="walls" d={pathOf(p.plan, (s) => [turn(s[0], s[1]), turn(s[2], s[3])])} />
      <Rings hand={hand} up={hand ? ofLight(hand).up : 0} scale={scale} />
      <path className="sight" d={`M${wide / 2} ${planHigh / 2}L${cam.x} ${Math.min(cam.y, planHigh * 3)}`} />
      {cam.y < planHigh && <path className="plot-camera" transform={`translate(${cam.x} ${cam.y})`} d="M -6 0 L 6 0 L 4 9 L -4 9 z" />}
      <Cones {...props} />
      <circle className="plot-subject" cx={wide / 2} cy={planHigh / 2} r={5} />
      <Marks {...props} box={box} />
      <text className="ring-text" x={wide / 2} y={planHigh - 4} textAnchor="middle">
        camera’s side
      </text>
    </svg>
  )
}

function Section(props: SheetProps) {
  const { p, sheet } = props
  const box = useRef<SVGSVGElement>(null)
  const middle = sheet.at({ side: 0, away: 0, up: 0 })
  const cam = sheet.at(spotOf(p, p.camera))
  const turn = (away: number, up: number) => sheet.at({ side: 0, away, up })
  return (
    <svg ref={box} className="plan" width={wide} height={sectionHigh} viewBox={`0 0 ${wide} ${sectionHigh}`} role="img" aria-label={`Section through ${p.subject}`}>
      <path className="walls" d={pathOf(p.section, (s) => [turn(s[0], s[1]), turn(s[2], s[3])])} />
      <path className="sight" d={`M${middle.x} ${middle.y}L${cam.x} ${cam.y}`} />
      <path className="plot-subject" d={`M${middle.x} ${turn(0, p.foot - p.pivot[1]).y}V${middle.y}`} />
      <circle className="plot-subject" cx={wide / 2} cy={middle.y} r={4} />
      <Marks {...props} box={box} />
      <text className="ring-text" x={6} y={sectionHigh - 4}>
        camera’s side
      </text>
    </svg>
  )
}
