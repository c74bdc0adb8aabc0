import { Button } from '@mui/material'
import { useQuery } from '@tanstack/react-query'
import type { Light, Plot, Setup, Warmth } from '../../api.gen'
import { api } from '../../kernel/client'
import { lightEdits } from '../../kernel/lightEdits'
import { gazeNow } from '../../kernel/live'
import { useLook } from '../../kernel/look'
import { lampsNow, useSetup } from '../../kernel/store'
import { isOff } from '../../kernel/sums'
import { useThings } from '../../kernel/things'
import { Drawn, type Move } from './Drawn'
import { Ratios, Stands } from './Stands'

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
    <div className="panel-body">
      {p && <h3>Of {p.subject}</h3>}
      {p && doc ? <Of p={p} doc={doc} warmth={warmth} /> : <p className="quiet">{plot.isPending ? 'measuring …' : 'Click a figure in the picture: its plot is drawn here.'}</p>}
    </div>
  )
}

/** Of is the plot of one subject. */
function Of({ p, doc, warmth }: { p: Plot; doc: Setup; warmth: Warmth }) {
  const chosen = useLook((s) => s.chosen)
  const put = (m: Move, done: boolean) => lightEdits.handle(m.id, doc, m.changes, undefined, m.words, done)
  const most = Math.max(...p.lights.map((l) => l.bare), 1e-9)
  const shown = p.lights.filter((s) => doc.lights[s.id] && !isOff(doc, doc.lights[s.id] as Light) && (s.bare > most * 0.002 || s.id === chosen))
  return (
    <>
      <Drawn p={p} doc={doc} warmth={warmth} shown={shown} put={put} />
      <Stands p={p} doc={doc} shown={shown} put={put} />
      <Ratios p={p} />
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
