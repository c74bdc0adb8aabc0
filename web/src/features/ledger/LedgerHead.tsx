import { ButtonBase } from '@mui/material'
import { memo } from 'react'
import { Tip } from '../../ui/Tip'
import { sortName, type Column, type Sort } from './columns'

interface Props {
  grid: React.CSSProperties
  shown: Column[]
  slim: boolean
  sort: Sort
  by: (sort: Sort) => void
  count: number
  /** What the shares are of, and what it says of itself. */
  scope: string
  scopeSays: string
  scopeMenu: (at: HTMLElement) => void
}

/** LedgerHead names the columns; a click sorts by one, and back to the order of the groups. */
export const LedgerHead = memo(function LedgerHead({ grid, shown, slim, sort, by, count, scope, scopeSays, scopeMenu }: Props) {
  const sorts = (id: Sort) => (sort === id ? 'descending' : 'none') as 'descending' | 'none'
  const turn = (id: Sort) => () => by(sort === id ? 'order' : id)
  return (
    <div className="row head" role="row" aria-rowindex={1} style={grid}>
      <span role="columnheader">
        <span className="unseen">kind</span>
      </span>
      <span role="columnheader" aria-sort={sorts('name')}>
        <Tip title={sort === 'order' ? 'Sort by name' : 'Back to the order of the groups'}>
          <ButtonBase onClick={() => by(sort === 'order' ? 'name' : 'order')} aria-pressed={sort !== 'order'}>
            {sort === 'order' ? `${count} lights` : sortName(sort)}
          </ButtonBase>
        </Tip>
      </span>
      {!slim && (
        <span role="columnheader" aria-sort={sorts('stops')}>
          <Tip title="Sort by stops">
            <ButtonBase onClick={turn('stops')} aria-pressed={sort === 'stops'}>
              stops
            </ButtonBase>
          </Tip>
        </span>
      )}
      <span role="columnheader">
        <span className="unseen">stops, number</span>
      </span>
      {shown.map((c) =>
        c.id === 'gives' ? (
          <span key={c.id} role="columnheader" className="right" aria-sort={sorts('gives')}>
            <Tip title={scopeSays}>
              <ButtonBase aria-haspopup="menu" onClick={(e) => scopeMenu(e.currentTarget)}>
                {scope}
              </ButtonBase>
            </Tip>
          </span>
        ) : c.id === 'costs' ? (
          <span key={c.id} role="columnheader" className="right" aria-sort={sorts('costs')}>
            <Tip title="Sort by cost, then by what a light gives for its cost">
              <ButtonBase onClick={() => by(sort === 'costs' ? 'worth' : sort === 'worth' ? 'order' : 'costs')} aria-pressed={sort === 'costs' || sort === 'worth'}>
                costs
              </ButtonBase>
            </Tip>
          </span>
        ) : (
          <span key={c.id} role="columnheader" className="right" aria-sort={sorts(c.id)}>
            <Tip title={`Sort by ${c.name}: ${c.says}`}>
              <ButtonBase onClick={turn(c.id)} aria-pressed={sort === c.id}>
                {c.name}
              </ButtonBase>
            </Tip>
          </span>
        ),
      )}
      {!slim && (
        <span role="columnheader">
          <span className="unseen">off, alone</span>
        </span>
      )}
    </div>
  )
})
