import { Button, MenuItem, Select } from '@mui/material'
import type { View } from '../../api.gen'
import { focusOf, followWith, lensOf, setFocus } from '../../kernel/lens'
import { useLook } from '../../kernel/look'
import { useThings } from '../../kernel/things'
import { startTool } from '../../picture/tool'
import { OnOff } from '../../ui/Choice'
import { NumberField } from '../../ui/NumberField'

/** FocusPart is what the lens has sharp: by distance, by a click, or an object that it follows. Its depth comes of the aperture. */
export function FocusPart({ id, v }: { id: string; v: View }) {
  const things = useThings((s) => s.things)
  const shown = useLook((s) => s.showFocus)
  const focus = focusOf(v, things)
  const { blur } = lensOf(v, things)
  const names = [...new Set(things.map((t) => t.path.split('/')[0] ?? ''))].sort()
  // How far off a point is blurred by a five-hundredth of the height: what is sharp lies between.
  const share = blur > 0 ? 0.002 / 2 / blur : 1
  const near = focus / (1 + share)
  const far = share < 1 ? focus / (1 - share) : Infinity
  return (
    <div role="group" aria-label="Focus">
      <div className="air-row">
        <span className="label">Focus</span>
        <Button variant="outlined" onClick={() => startTool('focus', null)}>
          click what is sharp
        </Button>
        <NumberField label="Focus, distance" value={focus} unit="m" min={0} max={10000} step={1.05} show={(x) => (x > 0 ? x.toFixed(2) : 'all sharp')} onDraft={(x) => setFocus(id, v, x, false)} onDone={(x) => setFocus(id, v, x, true)} onReset={() => setFocus(id, v, 0, true)} />
      </div>
      <div className="air-row">
        <span className="label">follows</span>
        <Select size="small" value={names.includes(v.focusOn ?? '') ? v.focusOn : ''} displayEmpty inputProps={{ 'aria-label': 'What the focus follows' }} onChange={(e) => followWith(id, v, e.target.value ?? '')}>
          <MenuItem value="">nothing</MenuItem>
          {names.map((n) => (
            <MenuItem key={n} value={n}>
              {n}
            </MenuItem>
          ))}
        </Select>
        <OnOff label="Show the focus" on={shown} words={shown ? 'focus shown' : 'show focus'} says="Colours tell what is sharp: before it warm, behind it cold" change={() => useLook.setState({ showFocus: !shown })} />
      </div>
      {focus > 0 && (
        <p className="air-facts">
          <span>sharp from {near.toFixed(2)} m</span>
          <span>to {Number.isFinite(far) ? `${far.toFixed(2)} m` : 'the horizon'}</span>
        </p>
      )}
    </div>
  )
}
