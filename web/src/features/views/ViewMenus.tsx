import { Menu, MenuItem } from '@mui/material'
import type { View } from '../../api.gen'
import { aspectName, aspects } from '../../kernel/camera'
import { replace } from '../../kernel/lightEdits'
import { toView, useLook } from '../../kernel/look'
import { edit, useSetup } from '../../kernel/store'
import { removeView, saveView, updateView } from '../../kernel/viewEdits'
import { surfacesStop } from '../../picture/solid'
import { askFor } from '../../ui/askFor'
import { NumberField } from '../../ui/NumberField'

interface AspectProps {
  at: HTMLElement
  aspect: number
  close: () => void
  change: (aspect: number) => void
  draft: (aspect: number) => void
}

/** AspectMenu chooses the form of the picture. */
export function AspectMenu({ at, aspect, close, change, draft }: AspectProps) {
  return (
    <Menu open anchorEl={at} onClose={close}>
      {aspects.map(([name, value]) => (
        <MenuItem
          key={name}
          selected={aspectName(aspect) === name}
          onClick={() => {
            close()
            change(value)
          }}
        >
          {name}
        </MenuItem>
      ))}
      <MenuItem disableRipple onKeyDown={(e) => e.stopPropagation()}>
        free{' '}
        <NumberField label="Aspect, width over height" value={aspect} min={0.2} max={5} step={1.02} geometric onDraft={(x) => draft(x)} onDone={(x) => change(x)} />
      </MenuItem>
    </Menu>
  )
}

/** ViewMenu is what can be done with a view. */
export function ViewMenu({ at, view, v, only, close }: { at: HTMLElement; view: string; v: View; only: boolean; close: () => void }) {
  const opens = useSetup((s) => s.doc?.opens)
  const moved = useLook((s) => s.camera !== null)
  const solid = useLook((s) => s.solid)
  const rename = () => {
    askFor('Name of the view', v.name, (name) => edit(`View ${v.name} renamed ${name}`, [replace(`/views/${view}/name`, name)]))
  }
  return (
    <Menu open anchorEl={at} onClose={close} onClick={close}>
      <MenuItem onClick={() => toView(view)} disabled={!moved}>
        Back to the saved view
      </MenuItem>
      <MenuItem onClick={updateView} disabled={!moved}>
        Update the view to here
      </MenuItem>
      <MenuItem onClick={saveView}>{moved ? 'Save as a new view' : 'Duplicate the view'}</MenuItem>
      <MenuItem onClick={rename}>Rename the view …</MenuItem>
      <MenuItem onClick={() => edit(`Opens with ${v.name}`, [{ op: 'add', path: '/opens', value: view }])} disabled={opens === view}>
        Open the setup with this view
      </MenuItem>
      <MenuItem role="menuitemcheckbox" aria-checked={solid} selected={solid} onClick={() => surfacesStop(!solid)}>
        Surfaces stop the eye
      </MenuItem>
      <MenuItem onClick={() => removeView(view)} disabled={only}>
        Remove the view
      </MenuItem>
    </Menu>
  )
}
