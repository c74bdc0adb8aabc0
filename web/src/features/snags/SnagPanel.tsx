import { Button } from '@mui/material'
import type { Snag } from '../../api.gen'
import { chooseAll, toView, useLook } from '../../kernel/look'
import { useThings } from '../../kernel/things'
import { edit, useSetup, type Op } from '../../kernel/store'
import { useSnags } from './useSnags'

/** show goes to where a snag is: its view, its lights, its object. */
function show(s: Snag) {
  const { doc, view } = useSetup.getState()
  if (s.view && doc?.views[s.view] && (s.view !== view || useLook.getState().camera)) toView(s.view)
  chooseAll(s.lights.filter((l) => doc?.lights[l]))
  if (s.object) {
    const things = useThings.getState().things
    useLook.setState({ objects: things.flatMap((t, i) => (t.path === s.object || t.path.startsWith(`${s.object}/`) ? [i] : [])) })
  }
  useLook.setState({ marked: s.place ? { at: s.place, words: s.number } : null, ...(s.kind === 'crowded' ? { way: 'crowding' as const } : {}) })
}

/** SnagPanel lists what the checks found: where, why, how much, and what to do. */
export default function SnagPanel() {
  const snags = useSnags()
  const doc = useSetup((s) => s.doc)
  const a = snags.data
  return (
    <>
      <ul className="panel-body">
        {a?.snags.map((s) => (
          <li key={`${s.kind} ${s.lights.join()} ${s.object} ${s.view}`} data-snag={s.kind}>
            <p>
              <b>{s.what}</b> <span className="number-of">{s.number}</span>
            </p>
            <p className="quiet">
              {s.why[0]?.toUpperCase()}
              {s.why.slice(1)}.
            </p>
            <p className="actions">
              <Button className="word" onClick={() => show(s)}>
                show{s.view && doc?.views[s.view] ? ` in ${doc.views[s.view]?.name}` : ''}
              </Button>
              {s.remedy && (
                <Button className="word" onClick={() => edit(`${s.what}: ${s.remedy?.words}`, (s.remedy?.ops ?? []) as Op[])}>
                  {s.remedy.words}
                </Button>
              )}
            </p>
          </li>
        ))}
        {a && a.snags.length === 0 && <li className="quiet">The checks found nothing: every light earns its place.</li>}
        {!a && <li className="quiet">The checks begin when every view has its first picture.</li>}
        {a && !a.ready && <li className="quiet">Some views are still to come.</li>}
      </ul>
    </>
  )
}
