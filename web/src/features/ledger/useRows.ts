import { useVirtualizer } from '@tanstack/react-virtual'
import { useCallback, useEffect, useLayoutEffect, useMemo, useRef, useState } from 'react'
import type { Setup } from '../../api.gen'
import { lightEdits } from '../../kernel/lightEdits'
import { choose, chooseAll, useLook } from '../../kernel/look'
import { columns, fitting, leastName, type Column, type Facts, type Sort } from './columns'
import { focusMoves, useTold, type Gathered } from './facts'
import { beside, type Item } from './items'

/** useRows keeps only the rows in sight, and brings the light that is chosen in the picture into it. */
export function useRows(items: Item[], list: React.RefObject<HTMLDivElement | null>) {
  const open = useLook((s) => s.open)
  const rows = useVirtualizer({ count: items.length, getScrollElement: () => list.current, estimateSize: (i) => (items[i]?.kind === 'light' && open.has(items[i].id) ? 230 : 28), overscan: 12, getItemKey: (i) => `${items[i]?.kind}-${items[i]?.id}` })
  const chosen = useLook((s) => s.chosen)
  useEffect(() => {
    const i = items.findIndex((x) => x.kind === 'light' && x.id === chosen)
    if (i >= 0) rows.scrollToIndex(i, { align: 'auto' })
    // Only when the choice changes.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [chosen])
  return rows
}

/** useTelling puts what is known of each light and group where their rows look it up. */
export function useTelling(doc: Setup | null, told: Gathered, factsOf: (id: string) => Facts, items: Item[]) {
  useLayoutEffect(() => {
    const facts: Record<string, Facts> = {}
    for (const id of Object.keys(doc?.lights ?? {})) facts[id] = factsOf(id)
    const groups: Record<string, { share?: number; ms?: number; mb?: number }> = {}
    for (const item of items) {
      if (item.kind === 'light') continue
      const given = item.members.flatMap((i) => told.g[i] ?? [])
      const costs = item.members.flatMap((i) => told.costs[i] ?? [])
      groups[item.id] = {
        ...(given.length ? { share: given.reduce((a, g) => a + g.share, 0) } : {}),
        ...(costs.length ? { ms: costs.reduce((a, c) => a + c.ms, 0), mb: costs.reduce((a, c) => a + c.mb, 0) } : {}),
      }
    }
    useTold.setState({ facts, groups, most: Math.max(0.01, ...Object.values(told.g).map((x) => x.share)) })
  }, [doc, told, factsOf, items])
}

/** useColumns are the columns that there is room for, and the grid that all rows share. */
export function useColumns(shown: string[], width: number, slim: boolean): { kept: Column[]; grid: React.CSSProperties } {
  const key = (slim ? columns.filter((c) => c.id === 'gives') : fitting(shown, width)).map((c) => c.id).join()
  const kept = useMemo(() => columns.filter((c) => key.split(',').includes(c.id)), [key])
  const grid = useMemo(() => ({ gridTemplateColumns: slim ? '18px minmax(60px, 1fr) 40px 52px' : `18px minmax(${leastName}px, 1fr) 48px 40px ${kept.map((c) => `${c.width}px`).join(' ')} 48px` }), [slim, kept])
  return { kept, grid }
}

/** usePicking chooses by clicks: one, one more, or all from the last one on. */
export function usePicking(lights: string[]) {
  const anchor = useRef<string | null>(null)
  const inOrder = useRef(lights)
  useLayoutEffect(() => void (inOrder.current = lights), [lights])
  const pick = useCallback((id: string, e: React.MouseEvent) => {
    const a = anchor.current && e.shiftKey ? inOrder.current.indexOf(anchor.current) : -1
    const b = inOrder.current.indexOf(id)
    if (a >= 0 && b >= 0) {
      chooseAll(inOrder.current.slice(Math.min(a, b), Math.max(a, b) + 1))
      return
    }
    anchor.current = id
    choose(id, e.ctrlKey || e.metaKey)
  }, [])
  const chooseFound = useCallback(() => chooseAll(inOrder.current), [])
  return { pick, chooseFound }
}

/** useFolding are the groups that are folded. */
export function useFolding() {
  const [closed, setClosed] = useState<ReadonlySet<string>>(new Set())
  const fold = useCallback((id: string) => setClosed((c) => new Set(c.has(id) ? [...c].filter((x) => x !== id) : [...c, id])), [])
  return { closed, fold }
}

/** move puts a light one row up or down, also into another group. */
function move(items: Item[], at: number, by: 1 | -1, doc: Setup) {
  const item = items[at]
  const to = item?.kind === 'light' && beside(items, at, by, (id) => doc.lights[id]?.group ?? '')
  if (to) lightEdits.regroup([item.id], to.group, to.before)
}

/** useRowKeys are the keys that move among rows: arrows, the ends and pages. */
export function useRowKeys(doc: Setup | null, items: Item[], sort: Sort, list: React.RefObject<HTMLDivElement | null>, scrollTo: (i: number) => void) {
  const go = (to: number, adding: boolean) => {
    const i = Math.min(Math.max(to, 0), items.length - 1)
    const item = items[i]
    if (adding && item?.kind === 'light') {
      chooseAll([...useLook.getState().picked, item.id])
      focusMoves.adding = true
    }
    const there = () => list.current?.querySelector<HTMLElement>(`[data-row][data-at="${i}"]`)
    if (there()) there()?.focus()
    else {
      scrollTo(i)
      // The row has to be drawn first.
      requestAnimationFrame(() => there()?.focus())
    }
    focusMoves.adding = false
  }
  return (e: React.KeyboardEvent) => {
    const at = Number((document.activeElement as HTMLElement | null)?.dataset.at ?? -1)
    if (!doc || at < 0 || (e.target as HTMLElement).tagName === 'INPUT' || useLook.getState().walking) return
    const control = e.ctrlKey || e.metaKey
    const to = { ArrowDown: at + 1, ArrowUp: at - 1, Home: 0, End: items.length - 1, PageDown: at + 10, PageUp: at - 10 }[e.key]
    if (control && (e.key === 'ArrowDown' || e.key === 'ArrowUp')) {
      if (items[at]?.kind !== 'light' || sort !== 'order') return
      move(items, at, e.key === 'ArrowDown' ? 1 : -1, doc)
    } else if (to !== undefined) go(to, e.shiftKey)
    else return
    e.preventDefault()
    e.stopPropagation()
  }
}
