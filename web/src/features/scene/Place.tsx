import { Slider } from '@mui/material'
import { useState } from 'react'
import type { Report, Setup, StageFacts } from '../../api.gen'
import { bringAgain, Refused } from '../../kernel/client'
import { replace } from '../../kernel/lightEdits'
import { scrub } from '../../kernel/objectEdits'
import { useTargets } from '../../kernel/queries'
import { complain, edit, nextSeq, useSetup } from '../../kernel/store'
import { fetchThings, useThings } from '../../kernel/things'
import { filmOf } from '../../kernel/sums'
import { Choice } from '../../ui/Choice'
import { NumberField } from '../../ui/NumberField'
import { Backdrops } from './Backdrops'

/** Place is what came in: its file, its animations' time, backdrops, the device to light for. */
export function Place() {
  const doc = useSetup((s) => s.doc)
  const file = useSetup((s) => s.file)
  const notes = useSetup((s) => s.notes)
  const facts = useThings((s) => s.facts)
  if (!doc) return null
  return (
    <>
      <h2>{doc.place?.file ?? file}</h2>
      <p>
        {facts ? `${facts.triangles.toLocaleString('en')} triangles, ${facts.things.length} objects, ${facts.surfaces.length} materials · ` : ''}
        {Object.keys(doc.lights).length} lights, {Object.keys(doc.views).length} views
      </p>
      <Again />
      {notes.length > 0 && (
        <ul className="notes">
          {notes.slice(0, 12).map((n) => (
            <li key={n}>{n}</li>
          ))}
        </ul>
      )}
      {facts && facts.duration > 0 && <Time doc={doc} facts={facts} />}
      <Backdrops doc={doc} />
      <Device doc={doc} />
    </>
  )
}

/** Again brings in a changed file of the same place, and tells what it changed. */
function Again() {
  const id = useSetup((s) => s.id)
  const [report, setReport] = useState<Report | null>(null)
  const [going, setGoing] = useState(false)
  const again = (f: File | undefined) => {
    if (!f || id === null) return
    setGoing(true)
    bringAgain(id, nextSeq(), f, () => undefined)
      .then(
        (a) => {
          useSetup.setState({ undoLabel: a.answer.undo, redoLabel: a.answer.redo })
          setReport(a.report)
          void fetchThings(id)
        },
        (e: unknown) => complain(e instanceof Refused ? e.fault : { what: 'The file could not be brought in.', remedy: 'Try again.' }),
      )
      .finally(() => setGoing(false))
  }
  return (
    <>
      <label className="word">
        {going ? 'Being read …' : 'Bring in a changed file, keeping the setup …'}
        <input type="file" accept=".glb,.gltf" hidden disabled={going} data-testid="again-file" onChange={(e) => again(e.target.files?.[0])} />
      </label>
      {report && <Told report={report} />}
    </>
  )
}

/** Told is what a changed file has changed. */
function Told({ report }: { report: Report }) {
  return (
    <div className="report" role="status">
      <p>
        <b>Brought in again.</b> {report.kept} objects are as they were. Undo brings the old file back.
      </p>
      {(
        [
          ['new', report.new],
          ['gone', report.gone],
          ['changed', report.changed],
          ['found under another path', report.moved],
          ['waiting for something that is gone', report.idle],
        ] as const
      ).map(([what, list]) =>
        list.length ? (
          <p key={what}>
            <b>
              {list.length} {what}:
            </b>{' '}
            {list.slice(0, 8).join(', ')}
            {list.length > 8 ? ' …' : ''}
          </p>
        ) : null,
      )}
      {report.notes.map((n) => (
        <p key={n}>{n}</p>
      ))}
    </div>
  )
}

function Time({ doc, facts }: { doc: Setup; facts: StageFacts }) {
  return (
    <>
      <h2>Time</h2>
      <div className="time">
        <Slider size="small" track={false} min={0} max={facts.duration} step={0.01} value={doc.time ?? 0} getAriaLabel={() => 'Time of the animations'} getAriaValueText={(v) => `${v.toFixed(2)} seconds`} onChange={(e, v) => scrub(v as number, facts, e.type === 'keydown')} onChangeCommitted={(e, v) => e.type !== 'keyup' && e.type !== 'keydown' && scrub(v as number, facts, true)} />
        <NumberField label="Time" value={doc.time ?? 0} unit="s" min={0} max={facts.duration} step={0.1} onDraft={(v) => scrub(v, facts, false)} onDone={(v) => scrub(v, facts, true)} onReset={() => scrub(0, facts, true)} />
      </div>
      <p className="quiet">
        {facts.animations.join(', ')} · {facts.duration.toFixed(2)} s
      </p>
    </>
  )
}

/** Device is what is lit for, and how its light becomes a picture. */
function Device({ doc }: { doc: Setup }) {
  const targets = useTargets()
  return (
    <>
      <h2>Target device</h2>
      <div className="targets">
        <Choice
          stacked
          label="Target device"
          value={doc.target}
          options={targets.map((t) => ({
            value: t.id,
            words: (
              <>
                <b>{t.name}</b>
                <span>
                  {t.how.width} × {t.how.height}, lighting {t.limits.ms.toFixed(1)} ms, {t.limits.mb} MB
                </span>
              </>
            ),
          }))}
          change={(k) => edit(`Target ${targets.find((t) => t.id === k)?.name ?? k}`, [replace('/target', k)])}
        />
      </div>
      <h2>Tone curve</h2>
      <Choice
        label="Tone curve"
        value={doc.curve}
        options={[
          { value: 'shoulder', words: 'soft shoulder' },
          { value: 'plain', words: 'plain, clips' },
          ...(filmOf(doc.curve) ? [{ value: doc.curve, words: 'film' }] : []),
        ]}
        change={(k) => edit(`Tone curve ${k === 'plain' ? 'plain, clips' : 'soft shoulder'}`, [replace('/curve', k)])}
      />
    </>
  )
}
