import { Tip } from '../../ui/Tip'
import { ms, percent, useTold } from './facts'

/** GivesCell is what a light gives: its share, and under it a bar of direct and, paler, bounced. */
export function GivesCell({ id, colour }: { id: string; colour: string }) {
  const g = useTold((s) => s.facts[id]?.gives)
  const most = useTold((s) => s.most)
  return (
    <Tip title={g ? `direct ${percent(g.direct)}, bounced ${percent(g.bounced)} of the light` : ''} placement="left">
      <span className="gives" role="gridcell">
        <span className="share" data-testid={`gives-${id}`}>
          {percent(g?.share)}
        </span>
        <span className="bars">
          <span style={{ width: `${(100 * (g?.direct ?? 0)) / most}%`, background: colour }} />
          <span className="bounced" style={{ width: `${(100 * (g?.bounced ?? 0)) / most}%`, background: colour }} />
        </span>
      </span>
    </Tip>
  )
}

export function CostCell({ id, of }: { id: string; of: 'ms' | 'mb' }) {
  const text = useTold((s) => (of === 'ms' ? ms(s.facts[id]?.cost?.ms) : (s.facts[id]?.cost?.mb.toFixed(1) ?? '')))
  return (
    <span role="gridcell" className="costs">
      {text}
    </span>
  )
}

export function NoticeCell({ id }: { id: string }) {
  const n = useTold((s) => s.facts[id]?.notice)
  return (
    <Tip title={n ? `Gone, the picture would differ by ${n.mean.toFixed(2)} on average, by ${n.p95.toFixed(1)} or more in a twentieth of it; 1 is just seen` : ''}>
      <span role="gridcell" className="costs" data-testid={`notice-${id}`}>
        {n ? `${n.mean.toFixed(1)} · ${n.p95.toFixed(1)}` : ''}
      </span>
    </Tip>
  )
}

/** GroupCell is what a group gives, costs or needs, of all its lights. */
export function GroupCell({ id, of }: { id: string; of: string }) {
  const text = useTold((s) => {
    const g = s.groups[id]
    return of === 'gives' ? percent(g?.share) : of === 'costs' ? ms(g?.ms) : of === 'mb' ? (g?.mb?.toFixed(1) ?? '') : ''
  })
  return of === 'gives' ? (
    <span className="gives" role="gridcell">
      <span className="share">{text}</span>
    </span>
  ) : (
    <span role="gridcell" className="costs">
      {text}
    </span>
  )
}
