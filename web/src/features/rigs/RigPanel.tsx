import { Button, ButtonBase } from '@mui/material'
import { useQuery } from '@tanstack/react-query'
import { useRef } from 'react'
import type { Group, RigAnswer, Setup } from '../../api.gen'
import { NumberField } from '../../ui/NumberField'
import { stopsText, tidy } from '../../kernel/number'
import { lightEdits } from '../../kernel/lightEdits'
import { api, Refused } from '../../kernel/client'
import { gazeNow } from '../../kernel/live'
import { chooseAll, useLook } from '../../kernel/look'
import { useThings } from '../../kernel/things'
import { complain, edit, entries, say, useSetup } from '../../kernel/store'
import { membersOf, putOn, rigOf, whole } from './rigEdits'
import { Tip } from '../../ui/Tip'

const refused = (e: unknown) => complain(e instanceof Refused ? e.fault : { what: 'The request did not reach the server.', remedy: 'Try again.' })

/** RigPanel is the rigs of this setup, and moods and templates to put on a figure. */
export default function RigPanel() {
  const id = useSetup((s) => s.id)
  const doc = useSetup((s) => s.doc)
  const view = useSetup((s) => s.view)
  const ev = useSetup((s) => s.doc?.views[s.view]?.ev)
  const picked = useLook((s) => s.picked)
  const objects = useLook((s) => s.objects)
  const camera = useLook((s) => s.camera)
  const moving = useLook((s) => s.moving)
  const things = useThings((s) => s.things)
  const file = useRef<HTMLInputElement>(null)
  const subject = things[objects[0] ?? -1]?.path ?? ''
  // What a mood's picture depends on besides the figure: where it stands, and the sky.
  const stage = JSON.stringify([doc?.objects, doc?.time, Object.values(doc?.lights ?? {}).filter((l) => l.kind === 'sky')])
  const ask = (more: { mood?: string; template?: string }) => ({ gaze: gazeNow(0), subject, mood: '', template: '', ...more })
  const moods = useQuery({ queryKey: ['moods', id, view, camera, subject, ev, stage], queryFn: () => api.moods(id ?? 0, ask({})), enabled: id !== null && !moving, staleTime: 600000, placeholderData: (p) => p, retry: false })
  if (!doc || id === null) return null
  const put = (more: { mood?: string; template?: string }, then: (a: RigAnswer) => void = putOn) => void api.rig(id, ask(more)).then(then, refused)
  const rigs = entries(doc.groups).filter(([, g]) => g.rig)
  const first = moods.data?.[0]
  return (
    <>
      <div className="panel-body">
        <p className="quiet">
          Moods on {subject ? (subject.split('/')[0] ?? subject) : 'the figure in this view'}, as they would look from here. Click one to put it there; click another figure in the picture first to put it on that.
        </p>
        {moods.isError && <p className="quiet">{moods.error instanceof Refused ? moods.error.fault.what : 'No pictures could be made.'}</p>}
        <div className="moods">
          {moods.data?.map((m) => (
            <Tip key={m.name} title={m.says}>
              <ButtonBase data-mood={m.name} onClick={() => put({ mood: m.name })}>
                <img src={`data:image/png;base64,${m.png}`} alt="" width={92} height={113} />
                <span>{m.name}</span>
              </ButtonBase>
            </Tip>
          ))}
          {moods.isPending && <p className="quiet">lighting the figure …</p>}
        </div>
        <p className="actions">
          <Button className="word" onClick={() => file.current?.click()}>
            a rig from a file
          </Button>
          {first && picked.size > 0 && (
            <Button className="word" onClick={() => put({ mood: first.name }, (a) => rigOf([...picked], a))}>
              rig of the {picked.size} chosen {picked.size === 1 ? 'light' : 'lights'}
            </Button>
          )}
          <input
            ref={file}
            type="file"
            hidden
            accept=".json"
            aria-label="Rig file"
            onChange={(e) => {
              const f = e.target.files?.[0]
              if (f) void f.text().then((template) => put({ template }))
              e.target.value = ''
            }}
          />
        </p>
        {rigs.map(([group, g]) => (
          <Rig key={group} id={id} group={group} g={g} doc={doc} other={subject && subject !== g.rig?.object && !subject.startsWith(`${g.rig?.object}/`) ? subject : ''} move={(template) => put({ template })} />
        ))}
        {rigs.length === 0 && <p className="quiet">No rig stands here yet.</p>}
      </div>
    </>
  )
}

function Rig({ id, group, g, doc, other, move }: { id: number; group: string; g: Group; doc: Setup; other: string; move: (template: string) => void }) {
  const members = membersOf(doc, group)
  const rig = g.rig
  if (!rig) return null
  const number = (label: string, value: number, unit: string, min: number, max: number, step: number, show: (v: number) => string, set: (v: number, done: boolean) => void, geometric = false) => (
    <div className="field">
      <span className="label">{label}</span>
      <NumberField label={`${g.name} ${label.toLowerCase()}`} value={value} unit={unit} min={min} max={max} step={step} geometric={geometric} show={show} onDraft={(v) => set(v, false)} onDone={(v) => set(v, true)} />
    </div>
  )
  return (
    <div className="rig" role="group" aria-label={g.name} data-rig={group}>
      <p>
        <b>{g.name}</b>{' '}
        <span className="quiet">
          {members.length} {members.length === 1 ? 'light' : 'lights'}
          {rig.object ? `, travels with ${rig.object}` : ', stands by itself'}
        </span>
      </p>
      <div className="rig-fields">
        {number('Turn', 0, '°', -180, 180, 5, tidy, (v, done) => whole(group, { turn: v }, `turned ${tidy(v)}°`, done))}
        {number('Raise', 0, 'm', -20, 20, 0.05, tidy, (v, done) => whole(group, { raise: v }, `raised ${tidy(v)} m`, done))}
        {number('Scale', 1, '×', 0.05, 20, 1.03, tidy, (v, done) => whole(group, { scale: v }, `scaled ${tidy(v)} times`, done), true)}
        {number('Trim', g.trim, 'st', -10, 10, 1 / 3, stopsText, (v, done) => lightEdits.trim(group, doc, v, done))}
        {number('Warm', g.mired ?? 0, 'mired', -500, 500, 5, tidy, (v, done) => lightEdits.groupShift(group, doc, 'mired', v, done))}
        {number('Hue', g.hue ?? 0, '°', -180, 180, 2, tidy, (v, done) => lightEdits.groupShift(group, doc, 'hue', v, done))}
      </div>
      <p className="actions">
        <Button className="word" onClick={() => chooseAll(members.map(([i]) => i))}>
          choose its lights
        </Button>
        <Button component="a" className="word" href={`/api/setups/${id}/rigs/${group}`} download>
          save as a file
        </Button>
        {other && (
          <Button
            className="word"
            onClick={() =>
              void fetch(`/api/setups/${id}/rigs/${group}`).then(async (r) => {
                if (r.ok) move(await r.text())
                else say('The rig could not be read.')
              })
            }
          >
            also on {other.split('/')[0]}
          </Button>
        )}
        <Button className="word" onClick={() => edit(`${g.name} a plain group`, [{ op: 'remove', path: `/groups/${group}/rig` }])}>
          make it a plain group
        </Button>
      </p>
    </div>
  )
}
