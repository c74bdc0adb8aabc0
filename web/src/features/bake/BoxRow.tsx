import { IconButton } from '@mui/material'
import { X } from '@phosphor-icons/react/dist/csr/X'
import type { Box } from '../../api.gen'
import type { V3 } from '../../kernel/camera'
import { NumberField } from '../../ui/NumberField'
import { removeEntry, setBox } from './bakeEdits'

const round = (v: number) => Math.round(v * 100) / 100
const axes = ['x', 'y', 'z']

/** BoxRow is a box: where it lies and how large it is. */
export function BoxRow({ which, id, b }: { which: 'fill' | 'bounds'; id: string; b: Box }) {
  const with_ = (v: V3, k: number, x: number) => v.map((o, i) => (i === k ? round(x) : o)) as V3
  return (
    <div className="bake-box">
      <details>
        <summary>
          <b>{b.name}</b> <span className="quiet">{b.size.map((v) => v.toFixed(1)).join(' × ')} m</span>
        </summary>
        {(['position', 'size'] as const).map((what) => (
          <div key={what} className="air-row bake-heights">
            <span className="label">{what === 'position' ? 'Middle' : 'Size'}</span>
            {b[what].map((v, k) => (
              <NumberField key={k} label={`${b.name}, ${what} ${axes[k]}`} value={v} unit="m" min={what === 'size' ? 0.1 : -1e5} max={1e5} step={0.1} show={(x) => String(round(x))} onDraft={() => undefined} onDone={(x) => setBox(which, id, { [what]: with_(b[what], k, x) }, what === 'position' ? 'moved' : 'sized')} />
            ))}
          </div>
        ))}
      </details>
      <IconButton aria-label={`Remove ${b.name}`} onClick={() => removeEntry(which, id)}>
        <X size={12} />
      </IconButton>
    </div>
  )
}
