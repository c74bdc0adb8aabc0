import { Menu, MenuItem } from '@mui/material'
import { baseName, wear } from '../../kernel/lookEdits'
import { openPanel } from '../../kernel/panels'
import { entries, useSetup } from '../../kernel/store'
import { useLines } from './useLines'

/** LookMenu chooses a look. */
export default function LookMenu({ at, close }: { at: HTMLElement; close: () => void }) {
  const doc = useSetup((s) => s.bare)
  const lines = useLines()
  if (!doc) return null
  const all: [string, string][] = [['', baseName(doc)], ...entries(doc.looks).map(([id, l]): [string, string] => [id, l.name])]
  return (
    <Menu open anchorEl={at} onClose={close} slotProps={{ list: { dense: true, className: 'ways' } }}>
      {all.map(([id, name]) => (
        <MenuItem
          key={id}
          selected={id === (doc.look ?? '')}
          onClick={() => {
            close()
            wear(id)
          }}
        >
          <b>{name}</b>
          <span>{id ? lines[id]?.sentence || 'changes nothing yet' : 'the setup without a look'}</span>
        </MenuItem>
      ))}
      <MenuItem
        onClick={() => {
          close()
          openPanel('looks')
        }}
      >
        All looks …
      </MenuItem>
    </Menu>
  )
}
