import { Button } from '@mui/material'
import { useState } from 'react'
import type { Grade } from '../../api.gen'
import { keepTable, Refused } from '../../kernel/client'
import { setGrade } from '../../kernel/gradeEdits'
import { complain } from '../../kernel/store'
import { SliderField } from '../../ui/SliderField'

/** TablePart is the .cube table that what is shown goes through last. */
export function TablePart({ g }: { g: Grade }) {
  const [going, setGoing] = useState(false)
  const bring = (f: File | undefined) => {
    if (!f) return
    setGoing(true)
    keepTable(f)
      .then((k) => setGrade({ table: { blob: k.blob, file: k.file, amount: 1 } }, `Table ${k.file}`, true), (e: unknown) => complain(e instanceof Refused ? e.fault : { what: 'The table could not be brought in.', remedy: 'Try again.' }))
      .finally(() => setGoing(false))
  }
  const t = g.table
  return (
    <div className="air-part" role="group" aria-label="Table of colour">
      <div className="air-head">
        <h2>Table of colour</h2>
        <label className="word">
          {going ? 'being read …' : 'Bring in a .cube …'}
          <input type="file" accept=".cube" hidden disabled={going} data-testid="table-file" onChange={(e) => bring(e.target.files?.[0])} />
        </label>
      </div>
      {t && (
        <>
          <p className="air-facts">
            <span>{t.file}</span>
            <Button className="word" onClick={() => setGrade({ table: undefined }, 'Without a table', true)}>
              without
            </Button>
          </p>
          <SliderField name="Amount" of="Table" says="How far it holds" unit="%" value={Math.round(t.amount * 100)} min={0} max={100} step={1} reset={100} set={(v, done) => setGrade({ table: { ...t, amount: v / 100 } }, `Table ${v} %`, done)} />
        </>
      )}
    </div>
  )
}
