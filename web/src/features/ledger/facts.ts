import { useQuery } from '@tanstack/react-query'
import { useMemo } from 'react'
import { create } from 'zustand'
import type { Cost, Notice, Setup, Warmth } from '../../api.gen'
import { api } from '../../kernel/client'
import { useLook } from '../../kernel/look'
import { gains, gives, mixed, type Gives } from '../../kernel/sums'
import { lampsNow, useSetup } from '../../kernel/store'
import type { Facts } from './columns'

export const percent = (v: number | undefined) => (v === undefined ? '' : v === 0 ? '0%' : v < 0.001 ? '<0.1%' : v < 0.0995 ? `${(100 * v).toFixed(1)}%` : `${Math.round(100 * v)}%`)
export const ms = (v: number | undefined) => (v === undefined ? '' : v.toFixed(2))

/** Where gives, costs and notice are read: this view, all views together, or the dearest one. */
export type Scope = 'here' | 'all' | 'worst'
export const scopeNames: Record<Scope, string> = { here: 'gives', all: 'all views', worst: 'worst' }

/** Gathered is what is known of every light by its id, and the view that costs most. */
export interface Gathered {
  g: Record<string, Gives>
  costs: Record<string, Cost>
  missed: Record<string, Notice>
  dearest: string
}

/** useFacts gathers what every light gives, costs and how it would be missed. */
export function useFacts(doc: Setup | null, warmth: Warmth, scope: Scope, wantNotice: boolean): Gathered {
  const lamps = useSetup(lampsNow)
  const view = useSetup((s) => s.view)
  const frames = useSetup((s) => s.frames[s.sight])
  const thumbs = useSetup((s) => s.thumbs)
  const figures = useSetup((s) => s.figures)
  const alone = useLook((s) => s.alone)
  const id = useSetup((s) => s.id)
  const revision = useSetup((s) => s.revision)
  const notice = useQuery({ queryKey: ['notice', id, revision], queryFn: () => api.notice(id ?? 0), enabled: wantNotice && id !== null, placeholderData: (p) => p, retry: false })
  return useMemo(() => {
    const g: Record<string, Gives> = {}
    const costs: Record<string, Cost> = {}
    const missed: Record<string, Notice> = {}
    if (!doc) return { g, costs, missed, dearest: '' }
    const k = gains(doc, lamps, warmth, alone)
    const ids = Object.keys(doc.views)
    const dearest = ids.reduce((a, i) => ((figures[i]?.budget?.ms ?? 0) > (figures[a]?.budget?.ms ?? 0) ? i : a), ids[0] ?? '')
    const from = scope === 'all' ? ids : [scope === 'worst' ? dearest : view]
    let n = 0
    for (const v of from) {
      const here = gives(scope === 'here' ? (mixed(frames, lamps) ?? thumbs[v]) : thumbs[v], lamps, k)
      if (Object.keys(here).length === 0) continue
      n++
      for (const [i, x] of Object.entries(here)) {
        const t = (g[i] ??= { direct: 0, bounced: 0, air: 0, share: 0 })
        t.direct += x.direct
        t.bounced += x.bounced
        t.air += x.air
        t.share += x.share
      }
    }
    for (const t of Object.values(g)) {
      t.direct /= n
      t.bounced /= n
      t.air /= n
      t.share /= n
    }
    for (const v of from) {
      for (const [i, c] of Object.entries(figures[v]?.budget?.lights ?? {})) if (!costs[i] || c.ms > costs[i].ms) costs[i] = c
      for (const [i, x] of Object.entries(notice.data?.[v] ?? {})) if (!missed[i] || x.mean > missed[i].mean) missed[i] = x
    }
    return { g, costs, missed, dearest }
  }, [doc, lamps, warmth, alone, figures, frames, thumbs, view, scope, notice.data])
}

/** What is told of each light; cells look up their own, so that a changed share draws no row anew. */
interface Told {
  facts: Record<string, Facts>
  /** What the lights of a group give and cost together; of what nothing is known, nothing. */
  groups: Record<string, { share?: number; ms?: number; mb?: number }>
  /** The greatest share, for the length of bars. */
  most: number
}
export const useTold = create<Told>(() => ({ facts: {}, groups: {}, most: 0.01 }))

/** Focus moving by Shift and arrows adds to what is chosen; by itself it chooses. */
export const focusMoves = { adding: false }
