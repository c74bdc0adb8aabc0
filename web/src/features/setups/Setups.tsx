import { Button } from '@mui/material'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import type { Listed } from '../../api.gen'
import { askFor } from '../../ui/askFor'
import { projectsAt } from '../../kernel/address'
import { api, Refused } from '../../kernel/client'
import { edit, nextSeq, say, useSetup } from '../../kernel/store'

const trouble = (e: unknown) => say(e instanceof Refused ? e.fault.what : 'The request did not reach the server.')

/** until says for how long a removed setup can still be brought back. */
const until = (removed: string) => new Date(Date.parse(removed) + 30 * 24 * 3600 * 1000).toLocaleDateString()

/** Setups lists all setups of this server: to open, name, put away, remove and bring back. */
export default function Setups() {
  const id = useSetup((s) => s.id)
  const name = useSetup((s) => s.doc?.name)
  const client = useQueryClient()
  const list = useQuery({ queryKey: ['setups', 'all', id, name], queryFn: api.setups })
  const changed = () => void client.invalidateQueries({ queryKey: ['setups'] })
  const rename = (s: Listed) =>
    askFor('Name of the setup', s.name, (n) => {
      if (s.id === id) edit(`Setup named ${n}`, [{ op: 'replace', path: '/name', value: n.trim().slice(0, 80) }])
      else api.rename(s.id, nextSeq(), n).then(changed, trouble)
    })
  const remove = (s: Listed) =>
    api.removeSetup(s.id).then(() => {
      changed()
      say(`${s.name} is removed. It can be brought back here until ${until(new Date().toISOString())}.`)
    }, trouble)
  const all = list.data ?? []
  const section = (title: string, rows: Listed[], actions: (s: Listed) => React.ReactNode) =>
    rows.length > 0 && (
      <>
        <h2>{title}</h2>
        <ul className="setup-list">
          {rows.map((s) => (
            <li key={s.id} className={s.id === id ? 'on' : ''} aria-current={s.id === id || undefined}>
              <b>{s.name || 'without a name'}</b>
              <span className="quiet">
                {s.project === s.name ? '' : `${s.project} · `}
                {s.file} · {s.lights} {s.lights === 1 ? 'light' : 'lights'}
              </span>
              <span className="actions">{actions(s)}</span>
            </li>
          ))}
        </ul>
      </>
    )
  const word = (words: string, run: () => void) => (
    <Button className="word" onClick={run}>
      {words}
    </Button>
  )
  const open = (s: Listed) => s.id !== id && word('open', () => location.assign(`/s/${s.id}`))
  return (
    <>
      <div className="panel-rows">
        {section('In use', all.filter((s) => !s.archived && !s.removed), (s) => (
          <>
            {open(s)}
            {word('rename', () => rename(s))}
            {word('put away', () => void api.archive(s.id, true).then(changed, trouble))}
            {s.id !== id && word('remove', () => void remove(s))}
          </>
        ))}
        {section('Put away', all.filter((s) => s.archived && !s.removed), (s) => (
          <>
            {open(s)}
            {word('take back into use', () => void api.archive(s.id, false).then(changed, trouble))}
            {s.id !== id && word('remove', () => void remove(s))}
          </>
        ))}
        {section('Removed', all.filter((s) => s.removed), (s) => word(`bring back (until ${until(s.removed ?? '')})`, () => void api.restore(s.id).then(changed, trouble)))}
        <p>
          <Button className="word" onClick={() => location.assign(projectsAt)}>
            all projects as pictures
          </Button>
        </p>
        <p className="quiet">Open another setup to remove this one. Copies are made in the Scene step.</p>
      </div>
    </>
  )
}
