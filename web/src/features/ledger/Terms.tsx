import { Chip } from '@mui/material'
import type { Setup } from '../../api.gen'
import { useSetup } from '../../kernel/store'
import type { Facts } from './columns'
import { useTold } from './facts'
import { readTerms, without, type Term } from './filter'

const offered = ['live shadows', 'gives under 1 %', 'baked', 'off', 'locked'].map((words) => ({ words, terms: readTerms(words) }))

/** fitting counts the lights that fit some terms. */
function fitting(terms: Term[], doc: Setup | null, facts: Record<string, Facts>): number {
  return Object.entries(doc?.lights ?? {}).filter(([id, l]) => {
    const f = facts[id]
    return doc && terms.every((t) => t.fits(l, id, doc, { gives: f?.gives?.share, cost: f?.cost, notice: f?.notice?.mean }))
  }).length
}

/** Terms are what is asked for, or can be, each with how many lights fit it. */
export default function Terms({ of, offer, change }: { of: Term[]; offer: boolean; change: (text: string) => void }) {
  const doc = useSetup((s) => s.doc)
  const facts = useTold((s) => s.facts)
  return (
    <div className="terms" role="group" aria-label={offer ? 'What can be asked for' : 'What is asked for'}>
      {offer
        ? offered.map((o) => <Chip key={o.words} size="small" variant="outlined" label={`${o.words} · ${fitting(o.terms, doc, facts)}`} onMouseDown={(e) => e.preventDefault()} onClick={() => change(o.words)} />)
        : of.map((t) => <Chip key={t.words} size="small" label={`${t.words} · ${fitting([t], doc, facts)}`} onDelete={() => change(without(of, t))} onClick={() => change(t.words)} />)}
    </div>
  )
}
