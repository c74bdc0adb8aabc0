import { Button, IconButton, MenuItem, Select } from '@mui/material'
import { X } from '@phosphor-icons/react/dist/csr/X'
import type { Bake, MapMirror, Mirror, Summary } from '../../api.gen'
import type { V3 } from '../../kernel/camera'
import { NumberField } from '../../ui/NumberField'
import { Tip } from '../../ui/Tip'
import { addMirror, removeEntry, setMirror } from './bakeEdits'

const round = (v: number) => Math.round(v * 100) / 100
const axes = ['x', 'y', 'z']

/** Mirrors are the reflection probes: where they see from, what they stand for, how wrong they are. */
export function Mirrors({ rules, last }: { rules: Bake; last: Summary | undefined }) {
  const made = new Map<string, MapMirror>((last?.mirrors ?? []).map((m) => [m.id, m]))
  const list = Object.entries(rules.mirrors)
  return (
    <div className="air-part" role="group" aria-label="Reflection probes">
      <div className="air-head">
        <h2>Reflection probes</h2>
        <span className="quiet">
          {list.length}
          {last && last.mirrorMB > 0 ? ` · ${last.mirrorMB.toFixed(1)} MB` : ''}
        </span>
      </div>
      {list.map(([id, m]) => (
        <Row key={id} id={id} m={m} made={made.get(id)} />
      ))}
      <p className="made">
        <Button className="word" onClick={addMirror}>
          one before the eye
        </Button>
      </p>
    </div>
  )
}

/** Row is one reflection probe, which opens to its places. */
function Row({ id, m, made }: { id: string; m: Mirror; made: MapMirror | undefined }) {
  const with_ = (v: V3, k: number, x: number) => v.map((o, i) => (i === k ? round(x) : o)) as V3
  return (
    <div className="bake-box">
      <details>
        <summary>
          <b>{m.name}</b> <span className="quiet">{m.pixels} px</span>
          {made && (
            <Tip title="What it shows to mirrors about its box, against what they would see: the mean difference">
              <span>wrong by {Math.round(100 * made.wrong)} %</span>
            </Tip>
          )}
        </summary>
        <div className="air-row bake-paper">
          <Select size="small" variant="standard" value={m.sphere ? 'sphere' : 'box'} inputProps={{ 'aria-label': `${m.name}, shape` }} onChange={(e) => setMirror(id, { sphere: e.target.value === 'sphere' }, e.target.value)}>
            <MenuItem value="box">box</MenuItem>
            <MenuItem value="sphere">sphere</MenuItem>
          </Select>
          <Select size="small" variant="standard" value={m.pixels} inputProps={{ 'aria-label': `${m.name}, pixels` }} onChange={(e) => setMirror(id, { pixels: Number(e.target.value) }, `${e.target.value} px`)}>
            {[16, 32, 64, 128, 256, 512].map((v) => (
              <MenuItem key={v} value={v}>
                {v} px
              </MenuItem>
            ))}
          </Select>
        </div>
        {(['position', 'middle', 'size'] as const).map((what) => (
          <div key={what} className="air-row bake-heights">
            <span className="label">{what === 'position' ? 'Sees from' : what === 'middle' ? 'Middle' : 'Size'}</span>
            {m[what].map((v, k) => (
              <NumberField key={k} label={`${m.name}, ${what} ${axes[k]}`} value={v} unit="m" min={what === 'size' ? 0.1 : -1e5} max={1e5} step={0.1} show={(x) => String(round(x))} onDraft={() => undefined} onDone={(x) => setMirror(id, { [what]: with_(m[what], k, x) }, what === 'size' ? 'sized' : 'moved')} />
            ))}
          </div>
        ))}
      </details>
      <IconButton aria-label={`Remove ${m.name}`} onClick={() => removeEntry('mirrors', id)}>
        <X size={12} />
      </IconButton>
    </div>
  )
}
