import { Button, Chip, InputBase } from '@mui/material'
import { useState } from 'react'
import type { Setup } from '../../api.gen'
import type { Facts } from './columns'
import { readTerms, without, type Term } from './filter'

/** findBox is the id of the field that finds lights. */
export const findBox = 'find-lights'

const offered = ['live shadows', 'gives under 1 %', 'baked', 'off', 'locked'].map((words) => ({ words, terms: readTerms(words) }))

interface Props {
  doc: Setup
  text: string
  terms: Term[]
  found: number
  factsOf: (id: string) => Facts
  change: (text: string) => void
  chooseFound: () => void
  menu: (at: HTMLElement, what: 'new' | 'columns') => void
}

/** LedgerTools find lights by words, each shown with how many lights fit it, and open the menus. */
export function LedgerTools({ doc, text, terms, found, factsOf, change, chooseFound, menu }: Props) {
  const [here, setHere] = useState(false)
  const fitting = (of: Term[]) =>
    Object.entries(doc.lights).filter(([id, l]) => {
      const f = factsOf(id)
      return of.every((t) => t.fits(l, id, doc, { gives: f.gives?.share, cost: f.cost, notice: f.notice?.mean }))
    }).length
  return (
    <>
      <div className="ledger-tools">
        <InputBase
          id={findBox}
          className="text"
          type="search"
          placeholder="Find: live shadows gives under 1 %"
          slotProps={{ input: { 'aria-label': 'Find and filter lights' } }}
          value={text}
          onChange={(e) => change(e.target.value)}
          onFocus={() => setHere(true)}
          onBlur={() => setHere(false)}
          onKeyDown={(e) => {
            if (e.key === 'Escape') change('')
            if (e.key === 'Enter') chooseFound()
            e.stopPropagation()
          }}
        />
        {text && <span className="quiet">{found} found</span>}
        <Button variant="menu" aria-haspopup="menu" onClick={(e) => menu(e.currentTarget, 'new')}>
          New ▾
        </Button>
        <Button variant="menu" aria-haspopup="menu" onClick={(e) => menu(e.currentTarget, 'columns')}>
          Columns ▾
        </Button>
      </div>
      {terms.length > 0 && (
        <div className="terms" role="group" aria-label="What is asked for">
          {terms.map((t) => (
            <Chip key={t.words} size="small" label={`${t.words} · ${fitting([t])}`} onDelete={() => change(without(terms, t))} onClick={() => change(t.words)} />
          ))}
        </div>
      )}
      {here && !text && (
        <div className="terms" role="group" aria-label="What can be asked for">
          {offered.map((o) => (
            <Chip key={o.words} size="small" variant="outlined" label={`${o.words} · ${fitting(o.terms)}`} onMouseDown={(e) => e.preventDefault()} onClick={() => change(o.words)} />
          ))}
        </div>
      )}
    </>
  )
}
