import { useQuery } from '@tanstack/react-query'
import type { Target } from '../api.gen'
import { replace } from '../ledger/deeds'
import { api } from '../net/client'
import { edit, useSetup } from '../setup/store'

/** ScenePanel is the first step: what came in, the device to light for, other setups. */
export function ScenePanel({ targets, choose }: { targets: Target[]; choose: () => void }) {
  const doc = useSetup((s) => s.doc)
  const file = useSetup((s) => s.file)
  const notes = useSetup((s) => s.notes)
  const id = useSetup((s) => s.id)
  const setups = useQuery({ queryKey: ['setups', id], queryFn: api.setups })
  if (!doc) return <section className="scene" aria-label="Scene" />
  return (
    <section className="scene" aria-label="Scene">
      <h2>Place</h2>
      <p>
        {file} · {Object.keys(doc.lights).length} lights, {Object.keys(doc.views).length} views
      </p>
      {notes.length > 0 && (
        <ul className="notes">
          {notes.slice(0, 12).map((n) => (
            <li key={n}>{n}</li>
          ))}
        </ul>
      )}
      <h2>Target device</h2>
      <div role="radiogroup" aria-label="Target device" className="targets">
        {targets.map((t) => (
          <button key={t.id} type="button" role="radio" aria-checked={doc.target === t.id} onClick={() => t.id !== doc.target && edit(`Target ${t.name}`, [replace('/target', t.id)])}>
            <b>{t.name}</b>
            <span>
              {t.width} × {t.height}, lighting {t.limitMs.toFixed(1)} ms, {t.limitMB} MB
            </span>
          </button>
        ))}
      </div>
      <h2>Tone curve</h2>
      <div className="choice" role="radiogroup" aria-label="Tone curve">
        {[
          ['shoulder', 'soft shoulder'],
          ['plain', 'plain, clips'],
        ].map(([k, words]) => (
          <button key={k} type="button" role="radio" aria-checked={doc.curve === k} onClick={() => k !== doc.curve && edit(`Tone curve ${words}`, [replace('/curve', k)])}>
            {words}
          </button>
        ))}
      </div>
      <h2>Setups</h2>
      <ul className="setups">
        {setups.data?.map((s) => (
          <li key={s.id}>
            <a href={`/s/${s.id}`} aria-current={s.id === id ? 'page' : undefined}>
              <b>{s.project}</b> {s.name !== s.project ? s.name : ''} <span>{s.lights} lights</span>
            </a>
          </li>
        ))}
      </ul>
      <button type="button" className="word" onClick={choose}>
        Bring in a GLB file …
      </button>
      <p className="quiet">or drop one anywhere in this window.</p>
    </section>
  )
}
