import { Button, IconButton } from '@mui/material'
import { X } from '@phosphor-icons/react/dist/csr/X'
import type { Bake, Summary } from '../../api.gen'
import type { V3 } from '../../kernel/camera'
import { NumberField } from '../../ui/NumberField'
import { SliderField } from '../../ui/SliderField'
import { Tip } from '../../ui/Tip'
import { addBox, addProbe, before, removeEntry, setBake, standard } from './bakeEdits'
import { BoxRow } from './BoxRow'
import { useBakeView } from './state'

const round = (v: number) => Math.round(v * 100) / 100
const names = ['knee', 'chest', 'head']

/** Field is the probe field: how far apart, at which heights, boxes that are filled, probes set by hand. */
export function Field({ rules, last }: { rules: Bake; last: Summary | undefined }) {
  const { dots, ball } = useBakeView()
  return (
    <div className="air-part" role="group" aria-label="Probe field">
      <div className="air-head">
        <h2>Probe field</h2>
        {last && (
          <span className="quiet">
            {last.probes} probes{last.set ? ` · ${last.set} in boxes or set` : ''}
          </span>
        )}
      </div>
      <SliderField name="Apart" says="How far apart probes stand over the ground where light changes; four times as far where it does not" unit="m" geometric min={0.5} max={10} step={1.1} value={rules.apart} show={(v) => v.toFixed(1)} reset={standard.apart} set={(v, done) => setBake({ apart: Math.round(v * 10) / 10 }, `Probes ${v.toFixed(1)} m apart`, done)} />
      <div className="air-row bake-heights">
        <Tip title="Heights over the ground, in metres; 0 leaves one out">
          <span className="label">Heights</span>
        </Tip>
        {rules.heights.map((h, k) => (
          <NumberField key={k} label={`Height of the ${names[k]}`} value={h} unit="m" min={0} max={20} step={0.1} show={(v) => v.toFixed(1)} onDraft={() => undefined} onDone={(v) => setBake({ heights: rules.heights.map((o, i) => (i === k ? round(v) : o)) as V3 }, `Probes at ${round(v)} m`)} />
        ))}
      </div>
      {last && last.route > 0 && (
        <Tip title={`Along ${last.route} m on foot from view to view: what probes tell against what is true, over six sides; at worst ${Math.round(100 * last.routeWorst)} %`}>
          <p className="air-facts">
            <span>Error on the way through the views</span>
            <b>{(100 * last.routeError).toFixed(0)} %</b>
          </p>
        </Tip>
      )}
      {last && (last.moved > 0 || last.dropped > 0) && (
        <p className="quiet">
          {last.moved > 0 && `${last.moved} stood in something solid and were moved`}
          {last.moved > 0 && last.dropped > 0 && '; '}
          {last.dropped > 0 && `${last.dropped} were dropped`}
        </p>
      )}
      {Object.entries(rules.fill).map(([id, b]) => (
        <BoxRow key={id} which="fill" id={id} b={b} />
      ))}
      {Object.entries(rules.probes).map(([id, p]) => (
        <div key={id} className="air-row">
          <b className="label">{p.name}</b>
          <span className="quiet">{p.position.map((v) => v.toFixed(1)).join(' ')}</span>
          <IconButton aria-label={`Remove ${p.name}`} onClick={() => removeEntry('probes', id)}>
            <X size={12} />
          </IconButton>
        </div>
      ))}
      <p className="made">
        <Button className="word" aria-pressed={dots} onClick={() => useBakeView.setState({ dots: !dots })}>
          show them
        </Button>
        <Tip title="A ball that shows what a mover would get there, beside the truth; drag it anywhere">
          <Button className="word" aria-pressed={ball !== null} onClick={() => useBakeView.setState({ ball: ball ? null : before(4) })}>
            probe ball
          </Button>
        </Tip>
        <Button className="word" onClick={() => addBox('fill')}>
          fill a box
        </Button>
        <Button className="word" onClick={() => addProbe(ball ?? before(4))}>
          set one {ball ? 'at the ball' : 'here'}
        </Button>
      </p>
    </div>
  )
}
