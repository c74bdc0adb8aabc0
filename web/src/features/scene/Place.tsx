import { Button, Slider } from '@mui/material'
import { useState } from 'react'
import type { Backdrop, Report, Setup, StageFacts } from '../../api.gen'
import { bringAgain, Refused } from '../../kernel/client'
import { replace } from '../../kernel/lightEdits'
import { backdrop, removeBackdrop, scrub } from '../../kernel/objectEdits'
import { useTargets } from '../../kernel/queries'
import { complain, edit, nextSeq, useSetup } from '../../kernel/store'
import { fetchThings, useThings } from '../../kernel/things'
import { filmOf } from '../../kernel/sums'
import { Choice } from '../../ui/Choice'
import { linearToHex } from '../../ui/colour'
import { ColourField } from '../../ui/ColourField'
import { NumberField } from '../../ui/NumberField'

/** Place is what came in: its file, its animations' time, sweeps, the device to light for. */
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
      {Object.keys(doc.backdrops ?? {}).length > 0 && <h2>Sweeps</h2>}
      {Object.entries(doc.backdrops ?? {}).map(([k, b]) => (
        <Sweep key={k} id={k} b={b} />
      ))}
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

function Sweep({ id: k, b }: { id: string; b: Backdrop }) {
  return (
    <div className="one-object" role="region" aria-label={b.name}>
      <p>
        <b>{b.name}</b>{' '}
        <Button className="word" onClick={() => removeBackdrop(k, b)}>
          take away
        </Button>
      </p>
      <div className="field-row">
        {(
          [
            ['width', 'm wide'],
            ['depth', 'm deep'],
            ['height', 'm high'],
            ['curve', 'm bend'],
            ['facing', '° facing'],
          ] as const
        ).map(([f, unit]) => (
          <NumberField key={f} label={`${b.name} ${f}`} value={b[f]} unit={unit} min={f === 'facing' ? -360 : f === 'curve' ? 0 : 0.2} max={f === 'facing' ? 360 : 100} step={f === 'facing' ? 5 : 0.25} onDraft={() => undefined} onDone={(v) => backdrop(k, b, { [f]: v })} />
        ))}
        <ColourField label={`${b.name} colour`} hex={linearToHex(b.colour)} onDraft={(c) => backdrop(k, b, { colour: c }, false)} onDone={(c) => backdrop(k, b, { colour: c })} />
      </div>
    </div>
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
                  {t.width} × {t.height}, lighting {t.limitMs.toFixed(1)} ms, {t.limitMB} MB
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
