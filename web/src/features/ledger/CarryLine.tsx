import { useQuery } from '@tanstack/react-query'
import type { Light } from '../../api.gen'
import { api } from '../../kernel/client'
import { useRested } from '../../kernel/rested'
import { entries, useSetup } from '../../kernel/store'

const list = (names: string[]) => (names.length < 2 ? (names[0] ?? '') : `${names.slice(0, -1).join(', ')} and ${names.at(-1)}`)

/** CarryLine says what the way a light is carried means here: for what moves, for shadows, for bounce. */
export function CarryLine({ id, l }: { id: string; l: Light }) {
  const setup = useSetup((s) => s.id)
  const doc = useSetup((s) => s.doc)
  const revision = useRested(useSetup((s) => s.revision), 700)
  const thumbs = useSetup((s) => Object.values(s.thumbs).map((t) => t.samples).join())
  const who = useQuery({ queryKey: ['who', setup, revision, thumbs], queryFn: () => api.who(setup ?? 0), enabled: setup !== null && thumbs !== '', placeholderData: (p) => p })
  if (!doc || !who.data || l.kind === 'sky') return null
  const movers = Object.values(doc.objects ?? {}).filter((o) => o.part === 'mover')
  const lit = new Map<string, string[]>()
  for (const [v, view] of entries(doc.views)) {
    for (const f of who.data.views[v] ?? []) {
      if (movers.some((o) => o.path === f.path || o.path.startsWith(`${f.path}/`)) && f.by.some((b) => b.light === id && b.direct >= 0.02)) lit.set(f.name, [...(lit.get(f.name) ?? []), view.name])
    }
  }
  const names = [...lit.keys()]
  const where = names.length ? `${list(names)}, which ${names.length > 1 ? 'move' : 'moves'} and ${names.length > 1 ? 'are' : 'is'} lit by it in ${list([...new Set([...lit.values()].flat())])},` : ''
  const many = names.length > 1
  let says: string
  if (l.carry === 'baked') says = names.length ? `${where} ${many ? 'get' : 'gets'} it from probes: softly, and without a shadow of ${many ? 'their' : 'its'} own.` : 'Nothing that moves is lit by it: baked, it loses nothing.'
  else if (l.carry === 'split') says = names.length ? `${where} ${many ? 'are' : 'is'} lit and ${l.shadow ? 'shadowed' : 'not shadowed'} as ${many ? 'they move' : 'it moves'}; its bounce is baked and stays.` : 'Nothing that moves is lit by it: baked, it would give the same for less.'
  else says = names.length ? `${where} ${many ? 'are' : 'is'} lit as ${many ? 'they move' : 'it moves'}; it may move itself, and none of its bounce is in the lightmap.` : 'It may move and change; none of its bounce is in the lightmap.'
  return (
    <p className="why" data-testid="carry-means">
      {says}
    </p>
  )
}
