import { useQuery } from '@tanstack/react-query'
import type { Light } from '../../api.gen'
import { api } from '../../kernel/client'
import { useRested } from '../../kernel/rested'
import { useSetup } from '../../kernel/store'

const percent = (v: number) => (v <= 0 ? '0 %' : v < 0.001 ? '<0.1 %' : `${(100 * v).toFixed(v < 0.1 ? 1 : 0)} %`)

/** ShadowLine says what a light's shadow does to this view, as measured. */
export function ShadowLine({ id, l }: { id: string; l: Light }) {
  const setup = useSetup((s) => s.id)
  const view = useSetup((s) => s.view)
  const revision = useRested(useSetup((s) => s.revision), 700)
  const there = useSetup((s) => Boolean(s.thumbs[s.view]))
  const name = useSetup((s) => s.doc?.views[s.view]?.name)
  const effect = useQuery({ queryKey: ['shadow', setup, id, revision], queryFn: () => api.shadow(setup ?? 0, id), enabled: setup !== null && there && l.shadow && !l.off && l.kind !== 'sky' && l.kind !== 'emissive', placeholderData: (p) => p })
  const e = effect.data?.[view]
  if (!e || !l.shadow || l.off) return null
  return (
    <p className="why" data-testid="shadow-effect">
      {e.shows <= 0 ? `Its shadow changes nothing in ${name}` : `Its shadow changes ${percent(e.shows)} of ${name}`}, and holds back {percent(e.held)} of its light there.
    </p>
  )
}
