import { Menu, MenuItem } from '@mui/material'
import { useLook } from '../../kernel/look'
import { wayOrder, waySpecs } from '../../picture/ways'

/** WayMenu chooses what of the light is seen. */
export default function WayMenu({ at, close }: { at: HTMLElement; close: () => void }) {
  const way = useLook((s) => s.way)
  return (
    <Menu open anchorEl={at} onClose={close} slotProps={{ list: { dense: true, className: 'ways' } }}>
      {wayOrder.map((w) => (
        <MenuItem
          key={w}
          selected={w === way}
          onClick={() => {
            close()
            useLook.setState({ way: w })
          }}
        >
          <b>{waySpecs[w].name}</b>
          <span>{waySpecs[w].says}</span>
        </MenuItem>
      ))}
    </Menu>
  )
}
