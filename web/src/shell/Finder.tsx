import { ButtonBase, Dialog, DialogContent, DialogTitle } from '@mui/material'
import { useMemo, useState } from 'react'
import { areas } from '../kernel/feature'
import { useLook } from '../kernel/look'
import { late } from '../ui/askFor'
import { commands, handKeys } from './commands'
import { Text } from '../ui/Text'

/** score is how well a command fits what was typed: every word must be found; earlier and whole words count more. */
export function score(name: string, text: string): number {
  const n = name.toLowerCase()
  let sum = 0
  for (const w of text.toLowerCase().split(/\s+/).filter(Boolean)) {
    const at = n.indexOf(w)
    if (at < 0) return -1
    sum += 10 - Math.min(at, 9) + (at === 0 || n[at - 1] === ' ' ? 8 : 0)
  }
  return sum
}

/** Finder finds a command by its words and runs it. */
export function Finder() {
  const open = useLook((s) => s.finder)
  const close = () => useLook.setState({ finder: false })
  return (
    <Dialog open={open} onClose={close} slotProps={{ paper: { className: 'finder', 'aria-label': 'Commands' } }}>
      {open && <Search close={close} />}
    </Dialog>
  )
}

function Search({ close }: { close: () => void }) {
  const [text, setText] = useState('')
  const [at, setAt] = useState(0)
  const found = useMemo(
    () =>
      commands
        .map((c, i) => ({ c, s: score(`${c.name} ${c.area}`, text) - i * 0.001 }))
        .filter((x) => x.s >= -0.5)
        .sort((a, b) => b.s - a.s)
        .slice(0, 14)
        .map((x) => x.c),
    [text],
  )
  const run = (i: number) => {
    const c = found[i]
    if (!c || c.able?.() === false) return
    close()
    c.run()
  }
  return (
    <>
      <Text
        inputRef={late}
        label="Find a command"
        placeholder="What do you want to do?"
        value={text}
        onChange={(e) => {
          setText(e.target.value)
          setAt(0)
        }}
        onKeyDown={(e) => {
          if (e.key === 'ArrowDown') setAt((v) => Math.min(v + 1, found.length - 1))
          else if (e.key === 'ArrowUp') setAt((v) => Math.max(v - 1, 0))
          else if (e.key === 'Enter') run(at)
          else return
          e.preventDefault()
        }}
      />
      <ul role="listbox" aria-label="Commands">
        {found.map((c, i) => (
          <ButtonBase component="li" key={c.name} role="option" tabIndex={-1} aria-selected={i === at} aria-disabled={c.able?.() === false} onPointerEnter={() => setAt(i)} onClick={() => run(i)}>
            <span>{c.name}</span>
            <span className="quiet">{c.area}</span>
            <kbd>{c.keys}</kbd>
          </ButtonBase>
        ))}
        {found.length === 0 && <li className="quiet">No command has these words.</li>}
      </ul>
    </>
  )
}

/** Sheet lists all keys. */
export function Sheet() {
  return (
    <Dialog open onClose={() => useLook.setState({ sheet: false })} aria-labelledby="sheet" maxWidth="lg">
      <DialogTitle id="sheet">Keys</DialogTitle>
      <DialogContent tabIndex={0}>
        <div className="sheet">
          <section>
            <h3>By hand</h3>
            <dl className="keys">
              {handKeys.map(([k, what]) => (
                <div key={k}>
                  <dt>{k}</dt>
                  <dd>{what}</dd>
                </div>
              ))}
            </dl>
          </section>
          {areas.map((a) => (
            <section key={a}>
              <h3>{a}</h3>
              <dl className="keys">
                {commands
                  .filter((c) => c.area === a && c.keys)
                  .map((c) => (
                    <div key={c.name}>
                      <dt>{c.keys}</dt>
                      <dd>{c.name}</dd>
                    </div>
                  ))}
              </dl>
            </section>
          ))}
        </div>
      </DialogContent>
    </Dialog>
  )
}
