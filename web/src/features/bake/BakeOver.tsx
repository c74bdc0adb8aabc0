import type { ProbeDot } from '../../api.gen'
import { nearestOnLine, onPlane, ray, type Camera, type V3 } from '../../kernel/camera'
import type { OverlayProps } from '../../kernel/feature'
import { useSetup } from '../../kernel/store'
import { scaleCss } from '../../picture/palette'
import { Wipe } from '../../picture/Wipe'
import { useBake, useBall, useDots, useFrameKey } from './queries'
import { shows, useBakeView, type Show } from './state'

/** BakeOver lies over the picture: what the bake shows, up to a line that is dragged, the probes, and the ball. */
export function BakeOver(props: OverlayProps) {
  const { show, dots, ball } = useBakeView()
  const { data } = useBake()
  const bake = data?.last?.id
  if (bake === undefined) return null
  return (
    <>
      {show && <Shown {...props} show={show} bake={bake} />}
      {dots && <Dots {...props} bake={bake} />}
      {ball && <Ball {...props} bake={bake} ball={ball} />}
    </>
  )
}

/** Shown is a picture of the bake at the right of a line. */
function Shown({ width, height, show, bake }: OverlayProps & { show: Show; bake: number }) {
  const at = useBakeView((s) => s.at)
  const id = useSetup((s) => s.id)
  const revision = useSetup((s) => s.revision)
  const pending = useSetup((s) => s.pending.length)
  const f = useFrameKey()
  if (!f || pending > 0) return null
  const x = at * width
  return (
    <g data-testid="bake-over" data-show={show}>
      <clipPath id="bake-clip">
        <rect x={x} y={0} width={width - x} height={height} />
      </clipPath>
      <image href={`/api/setups/${id}/bake/picture/${f.key}?show=${show}&bake=${bake}&r=${revision}&s=${show === 'difference' ? Math.min(f.samples, 4) : 0}`} x={0} y={0} width={width} height={height} preserveAspectRatio="none" clipPath="url(#bake-clip)" />
      <text className="bake-said" x={Math.min(x + 10, width - 150)} y={20}>
        {shows.find(([s]) => s === show)?.[1]}
      </text>
      <Wipe width={width} height={height} at={at} label="Bake over the picture" set={(at) => useBakeView.setState({ at })} />
      {(show === 'texels' || show === 'difference' || show === 'occlusion') && <Legend width={width} height={height} show={show} />}
    </g>
  )
}

const legends = {
  texels: { marks: ['1', '2', '4', '8', '16', '32'], says: 'texels a metre' },
  difference: { marks: ['0', '5', '10'], says: 'difference, CIEDE2000' },
  occlusion: { marks: ['0', '50', '100'], says: '% of the sky that is open' },
}

const grey = (v: number) => `rgb(${[v, v, v].map((x) => Math.round(255 * x)).join(' ')})`

/** Legend is the scale of what is shown. */
function Legend({ width, height, show }: { width: number; height: number; show: Show }) {
  const n = 24
  const w = 180
  const { marks, says } = legends[show === 'texels' || show === 'occlusion' ? show : 'difference']
  const places = marks.map((_, i) => i / (marks.length - 1))
  return (
    <g transform={`translate(${width - w - 22} ${height - 66})`} className="bake-legend">
      <rect x={-10} y={-8} width={w + 20} height={62} rx={4} />
      {Array.from({ length: n }, (_, i) => (
        <rect key={i} x={(w * i) / n} y={0} width={w / n + 0.5} height={10} style={{ fill: show === 'occlusion' ? grey(i / (n - 1)) : scaleCss(i / (n - 1)) }} />
      ))}
      {marks.map((m, i) => (
        <text key={m} x={w * (places[i] ?? 0)} y={26} textAnchor={i === 0 ? 'start' : i === marks.length - 1 ? 'end' : 'middle'}>
          {m}
        </text>
      ))}
      <text x={0} y={44}>
        {says}
      </text>
    </g>
  )
}

/** shownAs is light as it shows at an exposure, as a CSS colour. */
function shownAs(c: readonly number[], ev: number): string {
  const k = 0.18 / (0.125 * 2 ** ev) / Math.PI
  return `rgb(${c.map((v) => Math.round(255 * Math.min(1, (v * k) / (1 + v * k)) ** (1 / 2.2))).join(' ')})`
}

/** Dots are the probes, in the light that arrives at them. */
function Dots({ at, doc, bake, camera }: OverlayProps & { bake: number }) {
  const { data } = useDots(bake, true)
  const ev = useSetup((s) => doc.views[s.view]?.ev ?? 6)
  const near = (data ?? [])
    .map((d) => ({ d, p: at(d.at), far: Math.hypot(...d.at.map((v, k) => v - (camera.eye[k] ?? 0))) }))
    .filter((o) => o.p !== null && o.far < 25)
    .sort((a, b) => b.far - a.far)
    .slice(-400)
  return (
    <g data-testid="bake-dots" className="bake-dots">
      {near.map(({ d, p, far }, i) => (
        <circle key={i} cx={p?.x} cy={p?.y} r={Math.min(Math.max(22 / far, 1.6), 7)} style={{ fill: shownAs(d.lux, ev) }} className={dotClass(d)} />
      ))}
    </g>
  )
}

const dotClass = (d: ProbeDot) => (d.kind === 'rule' ? '' : 'set')

/** Ball is the probe ball: half of it as probes have it, half as it is; dragged over the ground, and up with Shift. */
function Ball({ at, doc, bake, camera, ball, width, height }: OverlayProps & { bake: number; ball: V3 }) {
  const { data } = useBall(bake, ball)
  const ev = useSetup((s) => doc.views[s.view]?.ev ?? 6)
  const p = at(ball)
  if (!p) return null
  const move = (e: React.PointerEvent<SVGElement>) => {
    if (!e.currentTarget.hasPointerCapture(e.pointerId)) return
    const box = e.currentTarget.ownerSVGElement?.getBoundingClientRect()
    if (!box) return
    const to = dragged(camera, ball, (e.clientX - box.x) / box.width, (e.clientY - box.y) / box.height, e.shiftKey)
    if (to) useBakeView.setState({ ball: to })
  }
  const nudge = (d: V3) => useBakeView.setState({ ball: ball.map((v, k) => Math.round((v + (d[k] ?? 0)) * 100) / 100) as V3 })
  const r = Math.min(Math.max((0.25 * height) / Math.max(Math.hypot(...ball.map((v, k) => v - (camera.eye[k] ?? 0))), 0.5), 12), 46)
  const front = facing(camera)
  return (
    <g data-testid="probe-ball" transform={`translate(${p.x} ${p.y})`} className="probe-ball">
      <path d={`M0 ${-r} A${r} ${r} 0 0 0 0 ${r} Z`} style={{ fill: data ? shownAs(mix(data.lux, front), ev) : '#444' }} />
      <path d={`M0 ${-r} A${r} ${r} 0 0 1 0 ${r} Z`} style={{ fill: data ? shownAs(mix(data.reference, front), ev) : '#555' }} />
      <circle
        r={r}
        role="slider"
        tabIndex={0}
        aria-label="Probe ball: arrow keys move it, Page Up and Down lift it"
        aria-valuenow={Math.round(100 * (data?.differs ?? 0))}
        onPointerDown={(e) => {
          e.stopPropagation()
          e.currentTarget.setPointerCapture(e.pointerId)
        }}
        onPointerMove={move}
        onKeyDown={(e) => {
          const d: V3 | undefined = { ArrowLeft: [-0.2, 0, 0], ArrowRight: [0.2, 0, 0], ArrowUp: [0, 0, -0.2], ArrowDown: [0, 0, 0.2], PageUp: [0, 0.2, 0], PageDown: [0, -0.2, 0] }[e.key] as V3 | undefined
          if (!d) return
          e.stopPropagation()
          e.preventDefault()
          nudge(d)
        }}
      />
      {width > 0 && (
        <text y={r + 16} textAnchor="middle" className="bake-said">
          probes | true
        </text>
      )}
    </g>
  )
}

/** facing are the shares of the six sides that are seen from the eye. */
const facing = (c: Camera): number[] => [-c.aim[0], c.aim[0], -c.aim[1], c.aim[1], -c.aim[2], c.aim[2]].map((v) => Math.max(v, 0) ** 2)

const mix = (six: readonly (readonly number[])[], shares: number[]) => [0, 1, 2].map((k) => shares.reduce((a, s, i) => a + s * (six[i]?.[k] ?? 0), 0))

/** dragged is where the ball goes under the pointer: over the level that it is at, or up and down. */
function dragged(camera: Camera, ball: V3, x: number, y: number, up: boolean): V3 | null {
  const dir = ray(camera, x, y)
  const cm = (v: number) => Math.round(v * 100) / 100
  if (up) return [ball[0], cm(ball[1] + nearestOnLine(ball, [0, 1, 0], camera.eye, dir)), ball[2]]
  const q = onPlane(ball, [0, 1, 0], camera.eye, dir)
  if (!q || Math.hypot(q[0] - camera.eye[0], q[2] - camera.eye[2]) > 60) return null
  return [cm(q[0]), ball[1], cm(q[2])]
}
