import { Button, MenuItem, Select } from '@mui/material'
import { useState } from 'react'
import type { LookLine, Setup } from '../../api.gen'
import { api } from '../../kernel/client'
import { baseName, branchLook, changesGo, newLook, removeLook, renameLook, wear } from '../../kernel/lookEdits'
import { toView } from '../../kernel/look'
import { complain, edit, entries, say, useSetup, type Op } from '../../kernel/store'
import { askFor } from '../../ui/askFor'
import { Choice } from '../../ui/Choice'
import { Tip } from '../../ui/Tip'
import { Blend } from './Blend'
import { Shift } from './Shift'
import { useLines } from './useLines'

/** LookPanel has the looks with their pictures and sentences, what can be done with them, a blend of two, and the wall. */
export function LookPanel() {
  const doc = useSetup((s) => s.bare)
  const alone = useSetup((s) => s.alone)
  const [wall, setWall] = useState(false)
  const lines = useLines()
  if (!doc) return null
  const all = ['', ...entries(doc.looks).map(([id]) => id)]
  return (
    <div className="panel-rows looks">
      <div className="panel-tools">
        <Tip title="Begins as what is shown; changes then go to it">
          <Button variant="outlined" onClick={() => askFor('Name of the new look', '', newLook)}>
            New look …
          </Button>
        </Tip>
        <Button variant="outlined" aria-pressed={wall} onClick={() => setWall(!wall)}>
          {wall ? 'as a list' : 'wall of all views'}
        </Button>
      </div>
      {doc.look && (
        <div className="field-pair">
          <span className="label">Changes go to</span>
          <Choice label="Changes go to" value={alone ? 'one' : 'all'} options={[{ value: 'one', words: 'this look' }, { value: 'all', words: 'every look' }]} change={(v) => changesGo(v === 'one')} />
        </div>
      )}
      {wall ? (
        <Wall doc={doc} all={all} lines={lines} />
      ) : (
        <ul className="look-list">
          {all.map((id) => (
            <One key={id} id={id} doc={doc} line={lines[id]} />
          ))}
        </ul>
      )}
      {all.length > 1 && <Blend doc={doc} all={all} />}
      <Shift />
    </div>
  )
}

/** Picture is a look in a view, made anew whenever it would be another one. */
function Picture({ look, view, line }: { look: string; view: string; line: LookLine | undefined }) {
  const id = useSetup((s) => s.id)
  const [tries, setTries] = useState(0)
  // The server may have a long line of them.
  return line ? <img alt="" loading="lazy" src={`/api/setups/${id}/looks/picture?look=${look}&view=${view}&of=${line.stamp}${tries ? `&try=${tries}` : ''}`} onError={() => tries < 20 && setTimeout(() => setTries(tries + 1), 1500)} /> : <span className="no-picture" />
}

/** One is a look with what can be done with it. */
function One({ id, doc, line }: { id: string; doc: Setup; line: LookLine | undefined }) {
  const view = useSetup((s) => s.view)
  const setup = useSetup((s) => s.id)
  const shown = (doc.look ?? '') === id
  const name = id ? (doc.looks[id]?.name ?? id) : baseName(doc)
  const merge = () => {
    void api.mergeLook(setup ?? 0, { look: id, group: '' }).then(
      (a) => edit(`“${name}” merged into the setup`, [...(a.ops as unknown as Op[]), { op: 'add', path: '/look', value: '' }], true),
      () => complain({ what: 'The server did not answer.', remedy: 'Try again.' }),
    )
  }
  return (
    <li className={shown ? 'on' : ''} data-look={id}>
      <Button className="card-picture" aria-label={`Show ${name}`} aria-pressed={shown} onClick={() => wear(id)}>
        <Picture look={id} view={view} line={line} />
      </Button>
      <div>
        <b>{name}</b>
        <span className="quiet sentence" data-tip={line?.sentence || undefined}>
          {id ? line?.sentence || 'changes nothing yet' : 'the setup without a look'}
        </span>
        {(line?.orphans.length ?? 0) > 0 && <span className="quiet">{line?.orphans.length} of its changes have no target any more</span>}
        <span className="actions">
          <Button className="word" onClick={() => askFor('Name of the look', name, (n) => renameLook(id, n))}>
            rename
          </Button>
          {id && (
            <>
              <Button className="word" onClick={() => branchLook(id)}>
                branch
              </Button>
              <Tip title="The setup takes its values; it changes nothing any more">
                <Button className="word" onClick={merge}>
                  merge back
                </Button>
              </Tip>
              <Groups doc={doc} look={id} name={name} />
              <Button className="word" onClick={() => removeLook(id)}>
                remove
              </Button>
            </>
          )}
        </span>
      </div>
    </li>
  )
}

/** Groups makes a look of what another says of one group alone. */
function Groups({ doc, look, name }: { doc: Setup; look: string; name: string }) {
  const setup = useSetup((s) => s.id)
  const only = (group: string) => {
    const g = doc.groups[group]?.name ?? ''
    void api.mergeLook(setup ?? 0, { look, group }).then(
      (a) => (Object.keys(a.overrides).length ? newLook(`${name}, ${g}`, a.overrides) : say(`“${name}” changes nothing of ${g}.`)),
      () => complain({ what: 'The server did not answer.', remedy: 'Try again.' }),
    )
  }
  return (
    <Select variant="standard" disableUnderline className="word-select" displayEmpty renderValue={() => 'of a group only …'} inputProps={{ 'aria-label': `${name}, of one group only` }} value="" onChange={(e) => only(e.target.value)}>
      {entries(doc.groups).map(([id, g]) => (
        <MenuItem key={id} value={id}>
          {g.name}
        </MenuItem>
      ))}
    </Select>
  )
}

/** Wall is every look in every view. */
function Wall({ doc, all, lines }: { doc: Setup; all: string[]; lines: Record<string, LookLine> }) {
  const views = entries(doc.views)
  return (
    <div className="look-wall" style={{ gridTemplateColumns: `repeat(${views.length}, minmax(0, 1fr))` }} role="group" aria-label="Looks in all views">
      {all.map((id) =>
        views.map(([v, view], i) => (
          <Button
            key={`${id} ${v}`}
            className="card-picture"
            aria-label={`${id ? doc.looks[id]?.name : baseName(doc)} in ${view.name}`}
            onClick={() => {
              toView(v)
              wear(id)
            }}
          >
            <Picture look={id} view={v} line={lines[id]} />
            {i === 0 && <span>{id ? doc.looks[id]?.name : baseName(doc)}</span>}
          </Button>
        )),
      )}
    </div>
  )
}
