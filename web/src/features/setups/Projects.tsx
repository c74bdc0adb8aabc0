import { Button, ButtonBase, LinearProgress } from '@mui/material'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import type { Listed } from '../../api.gen'
import { api, Refused } from '../../kernel/client'
import { importing } from '../../kernel/importing'
import { lastPicture } from '../../picture/lastPicture'
import { complain } from '../../kernel/store'

/** Projects is where a person begins: what has been lit here, as pictures; a place to drop a file; and the demo. */
export function Projects({ go }: { go: (id: number) => void }) {
  const list = useQuery({ queryKey: ['setups'], queryFn: api.setups })
  const client = useQueryClient()
  const [making, setMaking] = useState(false)
  const all = list.data?.filter((s) => !s.archived && !s.removed) ?? []
  const projects = [...new Set(all.map((s) => s.project))]
  const away = list.data?.filter((s) => s.archived && !s.removed) ?? []
  const demo = () => {
    setMaking(true)
    api
      .demo()
      .then((r) => {
        void client.invalidateQueries({ queryKey: ['setups'] })
        go(r.id)
      }, (e: unknown) => complain(e instanceof Refused ? e.fault : { what: 'The demo could not be put in.', remedy: 'Try again when the server is back.' }))
      .finally(() => setMaking(false))
  }
  return (
    <main className="projects">
      <h1>{all.length ? 'What shall be lit?' : 'Nothing has been lit here yet'}</h1>
      <div className="beginnings">
        <ButtonBase className="beginning" onClick={() => importing.choose()}>
          <b>Bring in a place</b>
          <span>Drop a GLB file anywhere in this window, or choose one. Its lights and cameras come with it.</span>
        </ButtonBase>
        {!all.some((s) => s.demo) && (
          <ButtonBase className="beginning" disabled={making} onClick={demo}>
            <b>Light the demo</b>
            <span>{making ? 'The pump house is being built …' : 'The Saltmarsh pump house at evening: a hall, a keeper, a culvert, fourteen lights.'}</span>
            {making && <LinearProgress />}
          </ButtonBase>
        )}
      </div>
      {projects.map((p) => (
        <Row key={p} title={p} of={all.filter((s) => s.project === p)} go={go} />
      ))}
      {away.length > 0 && <Row title="Put away" of={away} go={go} />}
      {list.isError && (
        <p role="alert">
          The list could not be fetched.{' '}
          <Button className="word" onClick={() => void list.refetch()}>
            try again
          </Button>
        </p>
      )}
    </main>
  )
}

/** Row is some setups under a title. */
function Row({ title, of, go }: { title: string; of: Listed[]; go: (id: number) => void }) {
  return (
    <section aria-label={title}>
      <h2>{title}</h2>
      <ul>
        {of.map((s) => (
          <li key={s.id}>
            <Card of={s} go={go} />
          </li>
        ))}
      </ul>
    </section>
  )
}

/** Card is a setup as it looked last in this browser. */
function Card({ of, go }: { of: Listed; go: (id: number) => void }) {
  const [picture] = useState(() => lastPicture(of.id))
  return (
    <ButtonBase className="project-card" onClick={() => go(of.id)}>
      {picture ? <img src={picture} alt="" /> : <span className="no-picture">not yet seen in this browser</span>}
      <b>{of.name || 'without a name'}</b>
      <span className="quiet">
        {of.lights} {of.lights === 1 ? 'light' : 'lights'} · {of.file}
      </span>
    </ButtonBase>
  )
}
