import type { Cost, Frame, Setup } from '../../api.gen'
import { useFrame } from '../../kernel/frame'
import { openPanel } from '../../kernel/panels'
import { useTargets } from '../../kernel/queries'
import { useSetup } from '../../kernel/store'
import { Tip } from '../../ui/Tip'

interface Part {
  name: string
  ms: number
  lights: string[]
}

/** parts says what the frame is spent on. */
function parts(doc: Setup, f: Frame): Part[] {
  const ms = (...of: string[]) => of.reduce((sum, k) => sum + (f.features[k] ?? 0), 0)
  const lights = (of: (c: Cost) => number) =>
    Object.entries(f.lights)
      .filter(([, c]) => of(c) > 0)
      .sort((a, b) => of(b[1]) - of(a[1]))
      .map(([id]) => doc.lights[id]?.name ?? '')
  return [
    { name: 'Surfaces', ms: ms('surfaces', 'light lists'), lights: [] },
    { name: 'Shadows', ms: ms('shadows', 'shadow maps'), lights: lights((c) => c.shadowMs) },
    { name: 'Lamps', ms: ms('shading'), lights: lights((c) => c.shadeMs) },
    { name: 'Baked and around', ms: ms('baked and around'), lights: [] },
    { name: 'Fog', ms: ms('fog'), lights: lights((c) => c.airMs) },
    { name: 'Post', ms: ms('post'), lights: [] },
  ].filter((p) => p.ms > 0.0005)
}

/** Budget is the frame at the target, stacked by what it is spent on, against its limit. */
export function Budget() {
  const targets = useTargets()
  const doc = useSetup((s) => s.doc)
  const { frame: f, own } = useFrame()
  const all = useSetup((s) => s.figures)
  if (!doc) return <footer className="budget" />
  const target = targets.find((t) => t.id === doc.target) ?? targets[0]
  const limit = target?.limits.ms ?? 1
  const list = f ? parts(doc, f) : []
  const full = Math.max(limit * 1.3, (f?.ms ?? 0) * 1.05)
  const fits = (p: Part) => p.ms / full > 0.028 + 0.0115 * p.name.length
  const over = f ? f.ms - limit : 0
  // Of the views that have been counted; the others may be worse.
  const known = Object.keys(doc.views).flatMap((k) => {
    const b = all[k]?.budget
    return b ? [{ name: doc.views[k]?.name ?? '', ms: b.ms }] : []
  })
  const worst = known.sort((a, b) => b.ms - a.ms)[0]
  const open = Object.keys(doc.views).length - known.length
  const of = open > 0 ? `worst of ${known.length} counted, ${open} to come` : 'worst view'
  return (
    <footer className="budget" aria-label="Budget">
      <div>
        <b>{target?.name}</b>
        <span>lighting limit {limit.toFixed(1)} ms</span>
      </div>
      <div className="stack" role="button" tabIndex={0} onClick={() => openPanel('frame')} onKeyDown={(e) => (e.key === 'Enter' || e.key === ' ') && openPanel('frame')} aria-label={f ? `${list.filter(fits).map((p) => p.name).join(' ')}: ${f.ms.toFixed(2)} of ${limit.toFixed(2)} milliseconds` : 'not counted yet'}>
        {list.map((p, i) => (
          <Tip key={p.name} title={`${p.name} ${p.ms.toFixed(2)} ms${p.lights.length ? ': ' + p.lights.join(', ') : ''}`}>
            <span className={`part p${i}`} style={{ width: `${(100 * p.ms) / full}%` }}>
              {fits(p) ? `${p.name} ` : ''}
            </span>
          </Tip>
        ))}
        <span className="limit" style={{ left: `${(100 * limit) / full}%` }} />
      </div>
      <div className="right">
        {f ? (
          <>
            <b data-testid="budget" title={own ? 'Of where your eye stands now' : 'Of the saved view'}>
              {f.ms.toFixed(2)} of {limit.toFixed(2)} ms · {Math.round(f.mb)} of {f.limitMB} MB
            </b>
            <span>
              {over > 0 ? `over by ${over.toFixed(2)} ms here` : `${(-over).toFixed(2)} ms left here`}
              {worst && ` · ${of}: ${worst.name} ${worst.ms.toFixed(1)} ms`}
            </span>
          </>
        ) : (
          <span>being counted</span>
        )}
      </div>
    </footer>
  )
}
