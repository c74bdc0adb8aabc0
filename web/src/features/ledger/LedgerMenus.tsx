import { Menu, MenuItem } from '@mui/material'
import { lightEdits, kindNames } from '../../kernel/lightEdits'
import { cameraNow, useLook } from '../../kernel/look'
import { pivotAt } from '../../picture/navigate'
import { columns, type Sort } from './columns'
import { scopeNames, type Scope } from './facts'

/** MenuName is one of the Ledger's menus. */
export type MenuName = 'columns' | 'new' | 'scope'

interface Props {
  open: { at: HTMLElement; what: MenuName }
  close: () => void
  scope: Scope
  setScope: (s: Scope) => void
  dearest: string
  sort: Sort
  by: (s: Sort) => void
  shown: string[]
  show: (ids: string[]) => void
}

/** LedgerMenus are new lights, which columns are shown, and what the shares are of. */
export function LedgerMenus({ open, close, scope, setScope, dearest, sort, by, shown, show }: Props) {
  const picked = useLook((s) => s.picked)
  return (
    <>
      <Menu open={open?.what === 'scope'} anchorEl={open?.at} onClose={close} onClick={close}>
        {(Object.keys(scopeNames) as Scope[]).map((s) => (
          <MenuItem key={s} selected={s === scope} onClick={() => setScope(s)}>
            {s === 'here' ? 'In this view' : s === 'all' ? 'In all views together' : `In the worst view: ${dearest}`}
          </MenuItem>
        ))}
        <MenuItem selected={sort === 'gives'} onClick={() => by(sort === 'gives' ? 'order' : 'gives')}>
          Sort by it
        </MenuItem>
      </Menu>
      <Menu open={open?.what === 'columns'} anchorEl={open?.at} onClose={close}>
        {columns.map((c) => (
          <MenuItem key={c.id} role="menuitemcheckbox" aria-checked={shown.includes(c.id)} selected={shown.includes(c.id)} onClick={() => show(shown.includes(c.id) ? shown.filter((x) => x !== c.id) : [...shown, c.id])}>
            {c.name} <span className="says">{c.says}</span>
          </MenuItem>
        ))}
      </Menu>
      <Menu open={open?.what === 'new'} anchorEl={open?.at} onClose={close} onClick={close}>
        {(['point', 'spot', 'rect', 'disc', 'line', 'sun', 'sky'] as const).map((k) => (
          <MenuItem
            key={k}
            onClick={() => {
              const c = cameraNow()
              if (c) lightEdits.create(k, c, pivotAt(c, 0.5, 0.5))
            }}
          >
            {kindNames[k]}
          </MenuItem>
        ))}
        <MenuItem onClick={() => lightEdits.newGroup([...picked])}>Group{picked.size ? ` of the ${picked.size} chosen` : ''}</MenuItem>
      </Menu>
    </>
  )
}
