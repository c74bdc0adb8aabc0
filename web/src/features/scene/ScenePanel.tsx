import { Button, Tab, Tabs } from '@mui/material'
import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { api, Refused } from '../../kernel/client'
import { importing } from '../../kernel/importing'
import { say, useSetup } from '../../kernel/store'
import { useThings } from '../../kernel/things'
import { askFor } from '../../ui/askFor'
import { Materials } from './Materials'
import { Objects } from './Objects'
import { Place } from './Place'

type Tab = 'place' | 'objects' | 'materials' | 'setups'
const tabs: Record<Tab, string> = { place: 'Place', objects: 'Objects', materials: 'Materials', setups: 'Setups' }

/** ScenePanel is the first step: what came in, what its objects do, the device to light for, other setups. */
export function ScenePanel() {
  const doc = useSetup((s) => s.doc)
  const facts = useThings((s) => s.facts)
  const [tab, setTab] = useState<Tab>('objects')
  if (!doc) return <section className="scene" aria-label="Scene" />
  return (
    <section className="scene" aria-label="Scene">
      <Tabs aria-label="Scene" value={tab} onChange={(_, t: Tab) => setTab(t)}>
        {(Object.keys(tabs) as Tab[]).map((t) => (
          <Tab key={t} value={t} label={tabs[t]} />
        ))}
      </Tabs>
      <div className="tab-body">
        {tab === 'place' && <Place />}
        {tab === 'objects' && facts && <Objects doc={doc} facts={facts} />}
        {tab === 'materials' && facts && <Materials doc={doc} facts={facts} />}
        {tab === 'setups' && <Setups />}
      </div>
    </section>
  )
}

function Setups() {
  const id = useSetup((s) => s.id)
  const name = useSetup((s) => s.doc?.name ?? '')
  const setups = useQuery({ queryKey: ['setups', id], queryFn: api.setups })
  const projects = [...new Set(setups.data?.map((s) => s.project))]
  return (
    <>
      {projects.map((p) => (
        <div key={p}>
          <h2>{p}</h2>
          <ul className="setup-list">
            {setups.data
              ?.filter((s) => s.project === p)
              .map((s) => (
                <li key={s.id}>
                  <a href={`/s/${s.id}`} aria-current={s.id === id ? 'page' : undefined}>
                    <b>{s.name}</b> <span>{s.lights} lights</span>
                  </a>
                </li>
              ))}
          </ul>
        </div>
      ))}
      <p>
        <Button
          className="word"
          onClick={() =>
            askFor('Name of the new setup, which begins as this one', `${name} 2`, (n) => {
              if (id !== null) api.copy(id, n).then((r) => location.assign(`/s/${r.id}`), (e: unknown) => say(e instanceof Refused ? e.fault.what : 'The request did not reach the server.'))
            })
          }
        >
          Another setup of this place …
        </Button>
      </p>
      <p>
        <Button className="word" onClick={() => importing.choose()}>
          Bring in a GLB file as a new project …
        </Button>
      </p>
      <p className="quiet">or drop one anywhere in this window. Lights are taken from one setup to another by copying (Ctrl C) and pasting (Ctrl V) them.</p>
    </>
  )
}
