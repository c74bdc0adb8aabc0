import { Button, IconButton } from '@mui/material'
import { X } from '@phosphor-icons/react/dist/csr/X'
import { useState } from 'react'
import type { Reference } from '../../api.gen'
import { keepReference, Refused } from '../../kernel/client'
import { complain, useSetup } from '../../kernel/store'
import { Text } from '../../ui/Text'
import { Tip } from '../../ui/Tip'
import { changeNote, place, takeDown, useBoard, writeNote } from './board'
import { Towards } from './Towards'

/** Board is the references of the view: pictures and notes, the chosen one measured against the picture. */
export function Board() {
  const view = useSetup((s) => s.view)
  const name = useSetup((s) => s.doc?.views[s.view]?.name ?? '')
  const all = useSetup((s) => s.doc?.references)
  const chosen = useBoard((s) => s.chosen)
  const [going, setGoing] = useState(false)
  const [note, setNote] = useState('')
  const list = Object.entries(all ?? {}).filter(([, r]) => r.view === view).sort((a, b) => a[1].order - b[1].order)
  const bring = (f: File | undefined) => {
    if (!f) return
    setGoing(true)
    keepReference(f).then(place, (e: unknown) => complain(e instanceof Refused ? e.fault : { what: 'The picture could not be brought in.', remedy: 'Try again.' })).finally(() => setGoing(false))
  }
  const write = () => {
    if (note.trim()) writeNote(note.trim())
    setNote('')
  }
  return (
    <div
      className="panel-rows board"
      onDragOver={(e) => e.preventDefault()}
      onDrop={(e) => {
        e.preventDefault()
        bring(e.dataTransfer.files[0])
      }}
    >
      <div className="panel-tools">
        <label className="word">
          {going ? 'being read …' : 'Bring in a picture …'}
          <input type="file" accept="image/png,image/jpeg" hidden disabled={going} data-testid="reference-file" onChange={(e) => bring(e.target.files?.[0])} />
        </label>
        <Text label="A note for this view" placeholder="Write a note" value={note} onChange={(e) => setNote(e.target.value)} onKeyDown={(e) => e.key === 'Enter' && write()} />
      </div>
      {list.length === 0 && <p className="quiet">Nothing hangs here for {name} yet: a picture (PNG, JPEG) is measured, laid over the view, and can be moved towards, line by line.</p>}
      {list.map(([id, r]) => (
        <One key={id} id={id} r={r} chosen={id === chosen} />
      ))}
      <Towards reference={list.some(([id, r]) => id === chosen && r.blob) ? chosen : ''} />
    </div>
  )
}

/** One is a picture with its note, or a note alone. */
function One({ id, r, chosen }: { id: string; r: Reference; chosen: boolean }) {
  const wipe = useBoard((s) => s.wipe && s.chosen === id)
  const [note, setNote] = useState<string | null>(null)
  return (
    <div className={`hung${chosen ? ' on' : ''}`} data-reference={id}>
      {r.blob && (
        <Button className="card-picture" aria-pressed={chosen} aria-label={`Measure against ${r.file}`} onClick={() => useBoard.setState({ chosen: chosen ? '' : id, wipe: false })}>
          <img alt="" src={`/api/references/${r.blob}`} />
        </Button>
      )}
      <div>
        {r.file && <b>{r.file}</b>}
        <Text
          label={`Note of ${r.file || 'the board'}`}
          placeholder="note"
          multiline
          value={note ?? r.note}
          onChange={(e) => setNote(e.target.value)}
          onBlur={() => {
            if (note !== null) changeNote(id, note)
            setNote(null)
          }}
        />
        <span className="actions">
          {r.blob && (
            <Button className="word" aria-pressed={wipe} onClick={() => useBoard.setState({ chosen: id, wipe: !wipe })}>
              {wipe ? 'off the picture' : 'over the picture'}
            </Button>
          )}
          <Tip title="Take it down">
            <IconButton size="small" aria-label={`Take down ${r.file || 'the note'}`} onClick={() => takeDown(id)}>
              <X size={12} />
            </IconButton>
          </Tip>
        </span>
      </div>
    </div>
  )
}
