import { Button } from '@mui/material'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import type { Snapshot } from '../../api.gen'
import { askFor, late } from '../../ui/askFor'
import { usePanel } from '../../kernel/panels'
import { api, Refused } from '../../kernel/client'
import { revert, say, useSetup } from '../../kernel/store'
import { when } from '../../kernel/when'
import { compareWith, useComparison } from '../../kernel/comparison'
import { Text } from '../../ui/Text'

const trouble = (e: unknown) => say(e instanceof Refused ? e.fault.what : 'The request did not reach the server.')

/** Snapshots keeps states with a name and a picture, compares them and brings them back. */
export function Snapshots() {
  const id = useSetup((s) => s.id)
  const view = useSetup((s) => s.view)
  const client = useQueryClient()
  const [name, setName] = useState('')
  const list = useQuery({ queryKey: ['snapshots', id], queryFn: () => api.snapshots(id ?? 0), enabled: id !== null })
  const changed = () => void client.invalidateQueries({ queryKey: ['snapshots', id] })
  if (id === null) return null
  const keep = () => {
    const n = name.trim() || `State ${(list.data?.length ?? 0) + 1}`
    api.keep(id, { name: n, view }).then(() => {
      setName('')
      changed()
    }, trouble)
  }
  return (
    <>
      <div className="panel-tools">
        <Text
          inputRef={late}
          label="Name of the new snapshot"
          placeholder="Name this state"
          value={name}
          onChange={(e) => setName(e.target.value)}
          onKeyDown={(e) => {
            if (e.key === 'Enter') keep()
            if (e.key === 'Escape') usePanel.setState({ panel: null })
            e.stopPropagation()
          }}
        />
        <Button variant="outlined" onClick={keep}>
          Keep
        </Button>
      </div>
      <ul className="snapshot-list">
        {list.data?.map((s) => (
          <One key={s.id} id={id} s={s} changed={changed} />
        ))}
        {list.data?.length === 0 && <li className="quiet">Keep a state before you try something: it stays, with its picture, and can be compared with any other.</li>}
      </ul>
    </>
  )
}

/** One is a snapshot with what can be done with it. */
function One({ id, s, changed }: { id: number; s: Snapshot; changed: () => void }) {
  const people = useSetup((x) => x.people)
  const { compared, base } = useComparison()
  const rename = () => {
    askFor('Name of the snapshot', s.name, (n) => void api.renameSnapshot(id, s.id, { name: n, view: s.view }).then(changed, trouble))
  }
  return (
    <li className={compared?.id === s.id || base?.id === s.id ? 'on' : ''}>
      <img alt="" src={`/api/setups/${id}/snapshots/${s.id}/picture`} />
      <div>
        <b>{s.name}</b>
        <span className="quiet">
          {when(s.made)} · {people[s.person] ?? ''}
        </span>
        <span className="actions">
          <Button className="word" onClick={() => void compareWith(id, s.id)} aria-pressed={compared?.id === s.id}>
            compare with now
          </Button>
          {compared && compared.id !== s.id && (
            <Button className="word" onClick={() => void compareWith(id, compared.id, s.id)}>
              with “{compared.name}”
            </Button>
          )}
          <Button className="word" onClick={() => void revert(`Back to “${s.name}”`, 0, s.id)}>
            bring back
          </Button>
          <Button className="word" onClick={rename}>
            rename
          </Button>
          <Button
            className="word"
            onClick={() => {
              if (compared?.id === s.id || base?.id === s.id) void compareWith(id, null)
              api.forgetSnapshot(id, s.id).then(changed, trouble)
            }}
          >
            forget
          </Button>
        </span>
      </div>
    </li>
  )
}
