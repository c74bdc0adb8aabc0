import { Button, Table, TableBody, TableCell, TableHead, TableRow } from '@mui/material'
import { useQuery } from '@tanstack/react-query'
import { useRef, useState } from 'react'
import type { Light, Plot, Setup, Stand, Warmth } from '../../api.gen'
import { NumberField } from '../../ui/NumberField'
import { stopsText, tidy } from '../../kernel/number'
import { lightEdits, linkedWith, lockedLight } from '../../kernel/lightEdits'
import { api } from '../../kernel/client'
import { gazeNow } from '../../kernel/live'
import { choose, useLook } from '../../kernel/look'
import { useDrag } from '../../picture/drag'
import { useThings } from '../../kernel/things'
import { draft, edit, lampsNow, say, useSetup, type Op } from '../../kernel/store'
import { isOff } from '../../kernel/sums'
import { standing } from '../../kernel/travel'
import { toneOf } from '../../kernel/tone'
import { moved, ratioStops, rings, round, spotOf, type Spot } from './geometry'
import { Tip } from '../../ui/Tip'
import { OnOff } from '../../ui/Choice'

const wide = 416
const planHigh = 300
const sectionHigh = 176

interface Move {
  id: string
  changes: Partial<Light>
  words: string
}

/** PlotPanel is the lighting plot of a subject: plan, section, numbers and ratios. */
export default function PlotPanel({ warmth }: { warmth: Warmth }) {
  const id = useSetup((s) => s.id)
  const doc = useSetup((s) => s.doc)
  const revision = useSetup((s) => s.revision)
  const view = useSetup((s) => s.view)
  const lamps = useSetup(lampsNow)
  const camera = useLook((s) => s.camera)
  const moving = useLook((s) => s.moving)
  const objects = useLook((s) => s.objects)
  const things = useThings((s) => s.things)
  const path = things[objects[0] ?? -1]?.path ?? ''
  // A drag's own lamps make the plot anew.
  const stamp = Object.entries(lamps).map(([i, l]) => `${i}${l.key}${l.perOutput}`).join()
  const plot = useQuery({
    queryKey: ['plot', id, view, camera, path, revision, stamp],
    queryFn: () => api.plot(id ?? 0, { gaze: gazeNow(0), subject: path }),
    enabled: id !== null && !moving,
    placeholderData: (p) => p,
    gcTime: 5000,
  })
  const p = plot.data
  return (
    <>
      <div className="panel-body">
        {p && <h3>Of {p.subject}</h3>}
        {p && doc ? <Drawn p={p} doc={doc} warmth={warmth} /> : <p className="quiet">{plot.isPending ? 'measuring …' : 'Click a figure in the picture: its plot is drawn here.'}</p>}
      </div>
    </>
  )
}

/** holdAt moves a light to another distance from the subject and keeps what it gives there. */
async function holdAt(p: Plot, light: string, distance: number) {
  const { id } = useSetup.getState()
  if (id === null) return
  try {
    const a = await api.place(id, { gaze: gazeNow(0), how: 'hold', light, x: 0.5, y: 0.5, fromX: 0, fromY: 0, distance, at: p.pivot })
    if (a.able) lightEdits.place(light, a, `at ${tidy(distance)} m, as bright`, true)
    else say(a.words)
  } catch {
    say('The server did not answer.')
  }
}

function Drawn({ p, doc, warmth }: { p: Plot; doc: Setup; warmth: Warmth }) {
  const chosen = useLook((s) => s.chosen)
  const [hold, setHold] = useState(false)
  const plan = useRef<SVGSVGElement>(null)
  const section = useRef<SVGSVGElement>(null)
  const put = (m: Move, done: boolean) => lightEdits.handle(m.id, doc, m.changes, undefined, m.words, done)
  const above = useDrag<Move>(plan, put, lightEdits.drop)
  const beside = useDrag<Move>(section, put, lightEdits.drop)
  const most = Math.max(...p.lights.map((l) => l.bare), 1e-9)
  const shown = p.lights.filter((s) => doc.lights[s.id] && !isOff(doc, doc.lights[s.id] as Light) && (s.bare > most * 0.002 || s.id === chosen))
  const near = shown.filter((s) => !s.far)
  // The drawing reaches as far as the farthest light that matters, or the camera.
  const far = Math.min(Math.max(...near.map((s) => s.distance * 1.15), 2.2), 12)
  const scale = planHigh / 2 / far
  const at = (q: Spot) => ({ x: wide / 2 + q.side * scale, y: planHigh / 2 - q.away * scale })
  const floor = Math.min(p.foot - p.pivot[1], ...near.map((s) => spotOf(p, standing(s.id, doc.lights[s.id] as Light).position).up))
  const beyond = Math.max(1.2, ...near.map((s) => spotOf(p, standing(s.id, doc.lights[s.id] as Light).position).up)) + 0.4
  const scaleY = Math.min(scale, sectionHigh / (beyond - floor + 0.5))
  const sideAt = (q: Spot) => ({ x: wide / 2 + q.away * scaleY, y: sectionHigh - 14 - (q.up - floor) * scaleY })
  const ofLight = (s: Stand): Spot => (s.far ? round(s.azimuth, s.height, far * 0.94) : spotOf(p, standing(s.id, doc.lights[s.id] as Light).position))
  const hand = chosen ? shown.find((s) => s.id === chosen && !s.far) : undefined
  const cam = spotOf(p, p.camera)
  const drag = (s: Stand, e: React.PointerEvent, inPlan: boolean) => {
    const l = doc.lights[s.id] as Light
    if (e.button !== 0) return
    choose(s.id)
    if (lockedLight(doc, l)) return
    const from = ofLight(s)
    ;(inPlan ? above : beside).pull(e, (m) => {
      const x = m.x * m.w - wide / 2
      const to: Spot = inPlan ? { side: x / scale, away: (planHigh / 2 - m.y * m.h) / scale, up: from.up } : { side: from.side, away: x / scaleY, up: (sectionHigh - 14 - m.y * m.h) / scaleY + floor }
      const d = Math.hypot(to.side, to.away, to.up)
      return d < 0.1 ? null : { id: s.id, changes: moved(p, l, s, to), words: s.far ? 'turned' : `${tidy(d)} m from ${p.subject}` }
    })
  }
  const mark = (s: Stand, q: { x: number; y: number }, inPlan: boolean) => {
    const l = doc.lights[s.id] as Light
    const colour = toneOf(doc, s.id, l, warmth)
    return (
      <g key={s.id} className={`plot-light${chosen === s.id ? ' on' : ''}${s.by ? ' hidden-light' : ''}`} data-plot={`${inPlan ? 'plan' : 'section'}:${s.id}`} transform={`translate(${q.x} ${q.y})`} onPointerDown={(e) => drag(s, e, inPlan)}>
        <title>{`${l.name}: ${Math.round(s.lux)} lux${s.by ? `, hidden by ${s.by}` : ''}`}</title>
        <circle r={11} className="touch" />
        {s.far ? <path d="M 0 -6 L 5 4 L -5 4 z" fill={colour} /> : <circle r={5} fill={colour} />}
        <text x={8} y={4}>
          {s.part || l.name}
        </text>
      </g>
    )
  }
  const lines = (list: [number, number, number, number][], f: (s: [number, number, number, number]) => [{ x: number; y: number }, { x: number; y: number }]) =>
    list
      .map((s) => f(s))
      .filter(([a, b]) => Math.max(a.x, b.x) > 0 && Math.min(a.x, b.x) < wide)
      .map(([a, b]) => `M${a.x.toFixed(1)} ${a.y.toFixed(1)}L${b.x.toFixed(1)} ${b.y.toFixed(1)}`)
      .join('')
  const sin = Math.sin((p.facing * Math.PI) / 180)
  const cos = Math.cos((p.facing * Math.PI) / 180)
  const turn = (x: number, z: number) => at({ side: x * cos - z * sin, away: -x * sin - z * cos, up: 0 })
  return (
    <>
      <svg ref={plan} className="plan" width={wide} height={planHigh} viewBox={`0 0 ${wide} ${planHigh}`} role="img" aria-label={`Plan round ${p.subject}`}>
        <path className="walls" d={lines(p.plan, (s) => [turn(s[0], s[1]), turn(s[2], s[3])])} />
        {hand
          ? rings(hand.distance).map((r) => (
              <g key={r.stops}>
                <circle className="plot-ring" cx={wide / 2} cy={planHigh / 2} r={Math.sqrt(Math.max(r.r ** 2 - ofLight(hand).up ** 2, 0)) * scale} />
                {r.r ** 2 > ofLight(hand).up ** 2 && (
                  <text className="ring-text" x={wide / 2 + 3} y={planHigh / 2 - Math.sqrt(r.r ** 2 - ofLight(hand).up ** 2) * scale - 2}>
                    {r.stops === 0 ? '0 st' : `${stopsText(r.stops)} st`}
                  </text>
                )}
              </g>
            ))
          : [1, 2, 4, 8].map((r) => (
              <g key={r}>
                <circle className="plot-ring" cx={wide / 2} cy={planHigh / 2} r={r * scale} />
                <text className="ring-text" x={wide / 2 + 3} y={planHigh / 2 - r * scale - 2}>
                  {r} m
                </text>
              </g>
            ))}
        <path className="sight" d={`M${wide / 2} ${planHigh / 2}L${at(cam).x} ${Math.min(at(cam).y, planHigh * 3)}`} />
        {at(cam).y < planHigh && <path className="plot-camera" transform={`translate(${at(cam).x} ${at(cam).y})`} d="M -6 0 L 6 0 L 4 9 L -4 9 z" />}
        {shown.map((s) => {
          const l = standing(s.id, doc.lights[s.id] as Light)
          const q = at(ofLight(s))
          if (l.kind !== 'spot' && l.kind !== 'rect' && l.kind !== 'disc') return null
          const tip = spotOf(p, [l.position[0] + l.aim[0], l.position[1] + l.aim[1], l.position[2] + l.aim[2]])
          const d = Math.atan2(tip.side - ofLight(s).side, tip.away - ofLight(s).away)
          const half = ((l.kind === 'spot' ? l.outer : 80) * Math.PI) / 180
          const r = (l.range > 0 ? Math.min(l.range, far * 2) : far * 2) * scale
          return <path key={s.id} className={`plot-cone${chosen === s.id ? ' on' : ''}`} d={`M${q.x} ${q.y}L${q.x + r * Math.sin(d - half)} ${q.y - r * Math.cos(d - half)}A${r} ${r} 0 0 1 ${q.x + r * Math.sin(d + half)} ${q.y - r * Math.cos(d + half)}z`} />
        })}
        <circle className="plot-subject" cx={wide / 2} cy={planHigh / 2} r={5} />
        {shown.map((s) => mark(s, at(ofLight(s)), true))}
        <text className="ring-text" x={wide / 2} y={planHigh - 4} textAnchor="middle">
          camera’s side
        </text>
      </svg>
      <svg ref={section} className="plan" width={wide} height={sectionHigh} viewBox={`0 0 ${wide} ${sectionHigh}`} role="img" aria-label={`Section through ${p.subject}`}>
        <path className="walls" d={lines(p.section, (s) => [sideAt({ side: 0, away: s[0], up: s[1] }), sideAt({ side: 0, away: s[2], up: s[3] })])} />
        <path className="sight" d={`M${sideAt({ side: 0, away: 0, up: 0 }).x} ${sideAt({ side: 0, away: 0, up: 0 }).y}L${sideAt(cam).x} ${sideAt(cam).y}`} />
        <path className="plot-subject" d={`M${wide / 2} ${sideAt({ side: 0, away: 0, up: p.foot - p.pivot[1] }).y}V${sideAt({ side: 0, away: 0, up: 0 }).y}`} />
        <circle className="plot-subject" cx={wide / 2} cy={sideAt({ side: 0, away: 0, up: 0 }).y} r={4} />
        {shown.map((s) => mark(s, sideAt(ofLight(s)), false))}
        <text className="ring-text" x={6} y={sectionHigh - 4}>
          camera’s side
        </text>
      </svg>
      <Table className="stands" aria-label={`Lights round ${p.subject}`}>
        <TableHead>
          <TableRow>
            <TableCell component="th" scope="col">light</TableCell>
            <TableCell component="th" scope="col">azimuth</TableCell>
            <TableCell component="th" scope="col">height</TableCell>
            <TableCell component="th" scope="col">distance</TableCell>
            <TableCell component="th" scope="col">lux</TableCell>
          </TableRow>
        </TableHead>
        <TableBody>
          {[...shown]
            .sort((a, b) => b.lux - a.lux)
            .slice(0, 9)
            .map((s) => {
              const l = doc.lights[s.id] as Light
              const set = (az: number, h: number, d: number, words: string, done: boolean) => put({ id: s.id, changes: moved(p, l, s, round(az, h, d)), words }, done)
              const field = (what: string, v: number, unit: string, min: number, max: number, step: number, f: (v: number, done: boolean) => void) => (
                <Tip title={lockedLight(doc, l) ? 'Locked: unlock it first (K)' : undefined}>
                  <TableCell inert={lockedLight(doc, l)}>
                    <NumberField label={`${l.name} ${what}`} value={v} unit={unit} min={min} max={max} step={step} show={(x) => (unit === 'm' ? x.toFixed(2) : String(Math.round(x)))} onDraft={(x) => f(x, false)} onDone={(x) => f(x, true)} />
                  </TableCell>
                </Tip>
              )
              return (
                <TableRow key={s.id} className={chosen === s.id ? 'on' : ''} onClick={() => choose(s.id)}>
                  <Tip title={s.by ? `Hidden by ${s.by}` : l.name}>
                    <TableCell component="th" scope="row">
                      {l.name}
                      <span className="quiet"> {s.by ? 'hidden' : s.part}</span>
                    </TableCell>
                  </Tip>
                  {field('azimuth', s.azimuth, '°', -180, 180, 5, (v, done) => set(v, s.height, s.distance, `azimuth ${Math.round(v)}°`, done))}
                  {field('height', s.height, '°', -89, 89, 5, (v, done) => set(s.azimuth, v, s.distance, `${Math.round(v)}° high`, done))}
                  {s.far ? <TableCell /> : hold ? field('distance', s.distance, 'm', 0.1, 200, 0.1, (v, done) => done && void holdAt(p, s.id, v)) : field('distance', s.distance, 'm', 0.1, 200, 0.1, (v, done) => set(s.azimuth, s.height, v, `${tidy(v)} m away`, done))}
                  <TableCell className="lux">{s.lux < 10 ? s.lux.toFixed(1) : Math.round(s.lux)}</TableCell>
                </TableRow>
              )
            })}
          <TableRow>
            <TableCell component="th" scope="row">from all sides</TableCell>
            <TableCell colSpan={3} />
            <TableCell className="lux">{p.even < 10 ? p.even.toFixed(1) : Math.round(p.even)}</TableCell>
          </TableRow>
        </TableBody>
      </Table>
      <p>
        <OnOff on={hold} words="hold brightness at a new distance" says="A new distance changes the light's stops, so that it is as bright on the figure" change={() => setHold(!hold)} />
      </p>
      {p.ratios.map((r) => {
        const set = (times: number, done: boolean) => {
          const by = ratioStops(r.name, r.times, times)
          if (!Number.isFinite(by)) return
          const ids = new Set(r.moves.flatMap((i) => linkedWith(i)))
          const ops = [...ids].flatMap((i): Op[] => {
            const l = useSetup.getState().kept?.lights[i]
            return l ? [{ op: 'replace', path: `/lights/${i}/stops`, value: Math.round((l.stops + by) * 1000) / 1000 }] : []
          })
          if (done) edit(`${r.name} ${tidy(times)}:1`, ops)
          else draft(ops)
        }
        const least = r.name === 'lighting ratio' ? 1.01 : 0.01
        return (
          <div key={r.name} className="ratio">
            <span>{r.name}</span>
            <NumberField label={r.name} value={r.times} unit=": 1" min={least} max={4096} step={1.05} geometric show={(v) => (v >= 10 ? v.toFixed(0) : v.toFixed(1))} onDraft={() => undefined} onDone={(v) => set(v, true)} />
            <NumberField label={`${r.name} in stops`} value={r.stops} unit="st" min={-12} max={12} step={1 / 3} show={stopsText} onDraft={() => undefined} onDone={(v) => set(Math.max(2 ** v, least), true)} />
          </div>
        )
      })}
      {p.warns.map((w) => (
        <p key={w.what} className="warn">
          {w.what}{' '}
          {w.noShadow && (
            <Button className="word" onClick={() => doc.lights[w.noShadow] && lightEdits.shadow(w.noShadow, doc.lights[w.noShadow] as Light)}>
              {doc.lights[w.noShadow]?.name} without shadow
            </Button>
          )}
        </p>
      ))}
    </>
  )
}
