import { Button } from '@mui/material'
import { useQuery } from '@tanstack/react-query'
import { stopsText } from '../../kernel/number'
import { api } from '../../kernel/client'
import { useLook } from '../../kernel/look'
import { useSetup } from '../../kernel/store'
import { compareWith, useComparison } from '../../kernel/comparison'
import { Choice } from '../../ui/Choice'

const names = { none: 'one', wipe: 'wipe', side: 'side by side', other: 'other', difference: 'difference' } as const

/** Splits chooses how two states are shown together, and says in numbers how they differ. */
export function Splits() {
  const { compared, base } = useComparison()
  const split = useLook((s) => s.split)
  const id = useSetup((s) => s.id)
  const sight = useSetup((s) => s.sight)
  const view = useSetup((s) => s.view)
  const revision = useSetup((s) => s.revision)
  const there = useSetup((s) => (compared ? Object.values(compared.lamps).every((l) => Object.values(s.frames[s.sight] ?? {}).some((f) => f.layers[l.key])) : false))
  const q = useQuery({
    queryKey: ['compare', id, sight, view, base?.id ?? 0, compared?.id ?? 0, revision, there],
    queryFn: () => api.compare(id ?? 0, sight, view, base?.id ?? 0, compared?.id ?? 0),
    enabled: compared !== null && id !== null && there,
    placeholderData: (p) => p,
    retry: false,
    // No one size of the picture may have all of both yet.
    refetchInterval: (x) => (x.state.data === null ? 1000 : false),
  })
  if (!compared) return null
  return (
    <span className="splits" data-testid="splits">
      <Choice label="Comparison" value={split} options={(Object.keys(names) as (keyof typeof names)[]).map((k) => ({ value: k, words: names[k] }))} change={(k) => useLook.setState({ split: k })} />
      <span>
        {base ? `“${base.name}”` : 'now'} · “{compared.name}”
        {q.data ? `: ${stopsText(q.data.stops)} st, differs by ${q.data.mean.toFixed(1)} on average, ${q.data.p95.toFixed(1)} at the 95th percentile` : ''}
      </span>
      <Button className="word" onClick={() => void compareWith(id, null)}>
        end
      </Button>
    </span>
  )
}
