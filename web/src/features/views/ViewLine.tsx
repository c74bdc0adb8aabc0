import { Button, Menu, MenuItem } from '@mui/material'
import { useState } from 'react'
import type { View } from '../../api.gen'
import { NumberField } from '../../ui/NumberField'
import { replace } from '../../kernel/lightEdits'
import { angle, aspectName, aspects, lens } from '../../kernel/camera'
import { cameraNow, moveCamera, toView, useLook } from '../../kernel/look'
import { surfacesStop } from '../../picture/solid'
import { edit, useSetup } from '../../kernel/store'
import { askFor } from '../../ui/askFor'
import { removeView, saveView, updateView } from '../../kernel/viewEdits'

const degrees = (v: number) => `${Math.round(v * 10) / 10}`

/** ViewLine says where the eye stands, with what lens and exposure, and how the picture is seen; each of it can be changed there. */
export function ViewLine() {
  const views = useSetup((s) => s.doc?.views)
  const view = useSetup((s) => s.view)
  const camera = useLook((s) => s.camera)
  const plain = useLook((s) => s.plain)
  const walking = useLook((s) => s.walking)
  const through = useLook((s) => s.through)
  const throughName = useSetup((s) => (through ? s.doc?.lights[through]?.name : ''))
  const [menu, setMenu] = useState<{ at: HTMLElement; what: 'view' | 'aspect' } | null>(null)
  const v = views?.[view]
  const c = camera ?? v
  if (!views || !v || !c) return null
  const change = (part: Partial<typeof c>, done: boolean) => {
    const now = cameraNow()
    if (now) moveCamera({ ...now, ...part }, !done)
  }
  return (
    <>
      <Button variant="menu" aria-haspopup="menu" onClick={(e) => setMenu({ at: e.currentTarget, what: 'view' })}>
        <b>{v.name}</b>
        {camera ? ', moved' : ''} ▾
      </Button>
      <span className="camera-fields">
        <NumberField label="Focal length" value={lens(c.fovY)} unit="mm" min={8} max={400} step={1.03} geometric show={(x) => x.toFixed(x < 100 ? 1 : 0).replace(/\.0$/, '')} onDraft={(x) => change({ fovY: angle(x) }, false)} onDone={(x) => change({ fovY: angle(x) }, true)} />
        <NumberField label="Angle of view, upright" value={c.fovY} unit="°" min={2} max={140} step={1} show={degrees} onDraft={(x) => change({ fovY: x }, false)} onDone={(x) => change({ fovY: x }, true)} />
        <Button variant="menu" aria-haspopup="menu" aria-label={`Aspect ${aspectName(c.aspect)}`} onClick={(e) => setMenu({ at: e.currentTarget, what: 'aspect' })}>
          {aspectName(c.aspect)} ▾
        </Button>
        <span className="quiet">roll</span>
        <NumberField label="Roll" value={c.roll} unit="°" min={-180} max={180} step={1} show={degrees} onDraft={(x) => change({ roll: x }, false)} onDone={(x) => change({ roll: x }, true)} onReset={() => change({ roll: 0 }, true)} />
      </span>
      <span className="held">EV {v.ev.toFixed(1)} held</span>
      {camera && (
        <span className="free">
          <Button className="word" onClick={() => toView(view)} aria-keyshortcuts="R">
            back
          </Button>
          <Button className="word" onClick={updateView} aria-keyshortcuts="Shift+V">
            update
          </Button>
          <Button className="word" onClick={saveView} aria-keyshortcuts="V">
            save as new
          </Button>
        </span>
      )}
      {walking && <span className="told">walking: arrow keys, . and , rise and sink; Esc ends</span>}
      {through && <span className="told">through {throughName}: it follows the eye; L ends</span>}
      {plain && <span>composed by the server: this browser has no WebGL2</span>}
      <AspectMenu at={menu?.what === 'aspect' ? menu.at : null} aspect={c.aspect} close={() => setMenu(null)} change={(aspect) => change({ aspect }, true)} draft={(aspect) => change({ aspect }, false)} />
      <ViewMenu at={menu?.what === 'view' ? menu.at : null} view={view} v={v} only={Object.keys(views).length < 2} close={() => setMenu(null)} />
    </>
  )
}

interface AspectProps {
  at: HTMLElement | null
  aspect: number
  close: () => void
  change: (aspect: number) => void
  draft: (aspect: number) => void
}

/** AspectMenu chooses the form of the picture. */
function AspectMenu({ at, aspect, close, change, draft }: AspectProps) {
  return (
    <Menu open={at !== null} anchorEl={at} onClose={close}>
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
function ViewMenu({ at, view, v, only, close }: { at: HTMLElement | null; view: string; v: View; only: boolean; close: () => void }) {
  const opens = useSetup((s) => s.doc?.opens)
  const moved = useLook((s) => s.camera !== null)
  const solid = useLook((s) => s.solid)
  const rename = () => {
    askFor('Name of the view', v.name, (name) => edit(`View ${v.name} renamed ${name}`, [replace(`/views/${view}/name`, name)]))
  }
  return (
    <Menu open={at !== null} anchorEl={at} onClose={close} onClick={close}>
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
