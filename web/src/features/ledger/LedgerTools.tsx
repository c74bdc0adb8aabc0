import { Button, InputBase } from '@mui/material'
import { lazy, memo, Suspense, useState } from 'react'
import type { Term } from './filter'

const Terms = lazy(() => import('./Terms'))

/** findBox is the id of the field that finds lights. */
export const findBox = 'find-lights'

interface Props {
  text: string
  terms: Term[]
  found: number
  change: (text: string) => void
  chooseFound: () => void
  menu: (at: HTMLElement, what: 'new' | 'columns') => void
}

/** LedgerTools find lights by words, each shown with how many lights fit it, and open the menus. */
export const LedgerTools = memo(function LedgerTools({ text, terms, found, change, chooseFound, menu }: Props) {
  const [here, setHere] = useState(false)
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
      <Suspense fallback={null}>{terms.length > 0 ? <Terms of={terms} offer={false} change={change} /> : here && !text && <Terms of={terms} offer change={change} />}</Suspense>
    </>
  )
})
