import { Button } from '@mui/material'
import { useState } from 'react'
import type { Finding, Where } from '../../api.gen'
import { useLook } from '../../kernel/look'
import { useThings } from '../../kernel/things'
import { short } from './short'
import { useBakeView } from './state'

/** Found is what the checks found in the bake: each kind once, the worst places first. */
export function Found({ list }: { list: Finding[] }) {
  return (
    <div className="air-part" role="group" aria-label="Found in the bake">
      <div className="air-head">
        <h2>Found in the bake</h2>
        <span className="quiet">{list.length === 1 ? 'one kind' : `${list.length} kinds`}</span>
      </div>
      {list.map((f) => (
        <Kind key={f.kind} f={f} />
      ))}
    </div>
  )
}

/** shown is how many places of a kind are told before all are asked for. */
const shown = 3

const things = (w: Where) => useThings.getState().things.flatMap((t, i) => (t.path === w.object ? [i] : []))
const canShow = (w: Where) => w.at !== undefined || things(w).length > 0

/** show goes to where something is wrong: it chooses the object, or puts the probe ball there. */
function show(w: Where) {
  if (w.at) useBakeView.setState({ ball: [...w.at] })
  else useLook.setState({ objects: things(w) })
}

function Kind({ f }: { f: Finding }) {
  const [all, setAll] = useState(false)
  const rest = f.where.length - shown
  return (
    <div className="bake-found">
      <p>
        <b>{f.what}.</b> <span className="quiet">{f.remedy}</span>
      </p>
      <ul>
        {f.where.slice(0, all ? undefined : shown).map((w, i) => (
          <li key={i}>
            {canShow(w) ? (
              <Button className="word" title={w.object} onClick={() => show(w)}>
                {w.object ? short(w.object) : 'probe ball there'}
              </Button>
            ) : (
              <span>{short(w.object)}</span>
            )}
            <span className="quiet">{w.how}</span>
          </li>
        ))}
      </ul>
      {rest > 0 && (
        <Button className="word" aria-label={`${all ? 'Fewer' : 'All'} places: ${f.what}`} onClick={() => setAll(!all)}>
          {all ? 'fewer' : `${rest} more`}
        </Button>
      )}
    </div>
  )
}
