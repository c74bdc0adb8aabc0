import { Button } from '@mui/material'
import { useVirtualizer } from '@tanstack/react-virtual'
import { useCallback, useEffect, useLayoutEffect, useMemo, useRef, useState } from 'react'
import type { Warmth } from '../../api.gen'
import { lightEdits } from '../../kernel/lightEdits'
import { choose, chooseAll, useLook } from '../../kernel/look'
import { size, usePanes } from '../../kernel/panes'
import { useSetup } from '../../kernel/store'
import { Tip } from '../../ui/Tip'
import { columns, fitting, leastName, needed, storeColumns, storedColumns, type Facts, type Sort } from './columns'
import { focusMoves, scopeNames, useFacts, useTold, type Scope } from './facts'
import { readTerms } from './filter'
import { GroupRow } from './GroupRow'
import { beside, groupOver, useItems, type Item } from './items'
import { LedgerHead } from './LedgerHead'
import { LedgerMenus, type MenuName } from './LedgerMenus'
import { LedgerTools } from './LedgerTools'
import { LightRow } from './LightRow'

/** Ledger is the one list of lights: what each gives and what it costs on the target. Slim, it is a strip beside the picture. */
export function Ledger({ warmth, slim = false }: { warmth: Warmth; slim?: boolean }) {
  const doc = useSetup((s) => s.doc)
  const alone = useLook((s) => s.alone)
  const picked = useLook((s) => s.picked)
  const open = useLook((s) => s.open)
  const [closed, setClosed] = useState<ReadonlySet<string>>(new Set())
  const [shown, setShown] = useState(storedColumns)
  const [scope, setScope] = useState<Scope>('here')
  const [sort, setSort] = useState<Sort>('order')
  const [filter, setFilter] = useState('')
  const [menu, setMenu] = useState<{ at: HTMLElement; what: MenuName } | null>(null)
  const facts = useFacts(doc, warmth, scope, shown.includes('notice') || /\bnotice/.test(filter))
  const list = useRef<HTMLDivElement>(null)
  // The row that Tab comes to: the last that had the focus.
  const [at, setAt] = useState(0)
  const width = usePanes((x) => x.side)
  const anchor = useRef<string | null>(null)

  const factsOf = useCallback((id: string): Facts => ({ gives: facts.g[id], cost: facts.costs[id], notice: facts.missed[id] }), [facts])
  const terms = useMemo(() => readTerms(filter), [filter])
  const items = useItems(doc, terms, sort, closed, factsOf)

  const rows = useVirtualizer({ count: items.length, getScrollElement: () => list.current, estimateSize: (i) => (items[i]?.kind === 'light' && open.has(items[i].id) ? 230 : 28), overscan: 12, getItemKey: (i) => `${items[i]?.kind}-${items[i]?.id}` })

  // What is chosen in the picture is brought into sight here.
  const chosen = useLook((s) => s.chosen)
  useEffect(() => {
    const i = items.findIndex((x) => x.kind === 'light' && x.id === chosen)
    if (i >= 0) rows.scrollToIndex(i, { align: 'auto' })
    // Only when the choice changes.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [chosen])

  useLayoutEffect(() => {
    const told: Record<string, Facts> = {}
    for (const id of Object.keys(doc?.lights ?? {})) told[id] = factsOf(id)
    const groups: Record<string, { share?: number; ms?: number; mb?: number }> = {}
    for (const item of items) {
      if (item.kind === 'light') continue
      const given = item.members.flatMap((i) => facts.g[i] ?? [])
      const costs = item.members.flatMap((i) => facts.costs[i] ?? [])
      groups[item.id] = {
        ...(given.length ? { share: given.reduce((a, g) => a + g.share, 0) } : {}),
        ...(costs.length ? { ms: costs.reduce((a, c) => a + c.ms, 0), mb: costs.reduce((a, c) => a + c.mb, 0) } : {}),
      }
    }
    useTold.setState({ facts: told, groups, most: Math.max(0.01, ...Object.values(facts.g).map((x) => x.share)) })
  }, [doc, facts, factsOf, items])

  const columnsKey = (slim ? columns.filter((c) => c.id === 'gives') : fitting(shown, width)).map((c) => c.id).join()
  const kept = useMemo(() => columns.filter((c) => columnsKey.split(',').includes(c.id)), [columnsKey])
  const grid = useMemo(() => ({ gridTemplateColumns: slim ? '18px minmax(60px, 1fr) 40px 52px' : `18px minmax(${leastName}px, 1fr) 48px 40px ${kept.map((c) => `${c.width}px`).join(' ')} 48px` }), [slim, kept])
  const lights = useMemo(() => items.filter((x) => x.kind === 'light').map((x) => x.id), [items])
  const inOrder = useRef(lights)
  useLayoutEffect(() => void (inOrder.current = lights), [lights])
  const fold = useCallback((id: string) => setClosed((c) => new Set(c.has(id) ? [...c].filter((x) => x !== id) : [...c, id])), [])
  const chooseFound = useCallback(() => chooseAll(inOrder.current), [])
  const showMenu = useCallback((at: HTMLElement, what: MenuName) => setMenu({ at, what }), [])
  const scopeMenu = useCallback((at: HTMLElement) => setMenu({ at, what: 'scope' }), [])
  const pick = useCallback(
    (id: string, e: React.MouseEvent) => {
      const lights = inOrder.current
      if (e.shiftKey && anchor.current) {
        const a = lights.indexOf(anchor.current)
        const b = lights.indexOf(id)
        if (a >= 0 && b >= 0) {
          chooseAll(lights.slice(Math.min(a, b), Math.max(a, b) + 1))
          return
        }
      }
      anchor.current = id
      choose(id, e.ctrlKey || e.metaKey)
    },
    [],
  )

  if (!doc) return <section className="ledger" aria-label="Ledger" />
  const here = Math.min(at, items.length - 1)
  const dearest = doc.views[facts.dearest]?.name ?? ''
  const first = rows.getVirtualItems().find((v) => v.end > (rows.scrollOffset ?? 0))
  const over = first ? groupOver(items, first.index) : -1
  const overGroup = items[over]?.kind === 'group' ? doc.groups[items[over].id] : undefined
  const focusRow = (i: number) => {
    rows.scrollToIndex(i, { align: 'auto' })
    // The row may have to be drawn first.
    requestAnimationFrame(() => list.current?.querySelector<HTMLElement>(`[data-row][data-at="${i}"]`)?.focus())
  }
  const keys = (e: React.KeyboardEvent) => {
    const at = Number((document.activeElement as HTMLElement | null)?.dataset.at ?? -1)
    if (at < 0 || (e.target as HTMLElement).tagName === 'INPUT' || useLook.getState().walking) return
    if ((e.ctrlKey || e.metaKey) && (e.key === 'ArrowDown' || e.key === 'ArrowUp')) {
      const item = items[at]
      if (item?.kind !== 'light' || sort !== 'order') return
      e.preventDefault()
      e.stopPropagation()
      const to = beside(items, at, e.key === 'ArrowDown' ? 1 : -1, (id) => doc.lights[id]?.group ?? '')
      if (to) lightEdits.regroup([item.id], to.group, to.before)
      return
    }
    const to = { ArrowDown: at + 1, ArrowUp: at - 1, Home: 0, End: items.length - 1, PageDown: at + 10, PageUp: at - 10 }[e.key]
    if (to === undefined) return
    e.preventDefault()
    e.stopPropagation()
    const i = Math.min(Math.max(to, 0), items.length - 1)
    const item = items[i]
    if (e.shiftKey && item?.kind === 'light') {
      chooseAll([...picked, item.id])
      focusMoves.adding = true
    }
    const there = list.current?.querySelector<HTMLElement>(`[data-row][data-at="${i}"]`)
    if (there) there.focus()
    else focusRow(i)
    focusMoves.adding = false
  }
  const drop = (e: React.DragEvent, to: Item) => {
    e.preventDefault()
    const [what, id] = e.dataTransfer.getData('text/x-willowherb').split(':')
    if (!id) return
    if (what === 'light') {
      const ids = picked.has(id) ? [...picked] : [id]
      if (to.kind === 'group') lightEdits.regroup(ids, to.id, null)
      else if (!ids.includes(to.id)) lightEdits.regroup(ids, doc.lights[to.id]?.group ?? '', to.id)
    } else if (what === 'group' && to.kind === 'group') lightEdits.nest(id, to.id)
  }
  return (
    <section className={`ledger${slim ? ' slim' : ''}`} aria-label="Ledger" onKeyDown={keys} onFocus={(e) => setAt(Number((e.target as HTMLElement).closest<HTMLElement>('[data-row]')?.dataset.at ?? at))}>
      <LedgerTools text={filter} terms={terms} found={lights.length} change={setFilter} chooseFound={chooseFound} menu={showMenu} />
      <div className="grid" role="treegrid" aria-label="Lights" aria-rowcount={items.length + 1}>
        <LedgerHead grid={grid} shown={kept} slim={slim} sort={sort} by={setSort} count={Object.keys(doc.lights).length} scope={scopeNames[scope]} scopeSays={scope === 'worst' ? `The dearest view: ${dearest}` : 'share of the picture’s light'} scopeMenu={scopeMenu} />
      <div className="rows" ref={list} role="rowgroup">
        {overGroup && (
          <div className="over-group" role="presentation" aria-hidden="true" onClick={() => rows.scrollToIndex(over, { align: 'start' })}>
            {overGroup.name}
          </div>
        )}
        <div role="presentation" style={{ height: rows.getTotalSize(), position: 'relative' }}>
          {rows.getVirtualItems().map((v) => {
            const item = items[v.index]
            if (!item) return null
            return (
              <div
                key={v.key}
                ref={rows.measureElement}
                data-index={v.index}
                role="presentation"
                className="slot"
                style={{ transform: `translateY(${v.start}px)` }}
                onDragOver={(e) => e.dataTransfer.types.includes('text/x-willowherb') && e.preventDefault()}
                onDrop={(e) => drop(e, item)}
              >
                {item.kind === 'group' ? (
                  <GroupRow
                    current={v.index === here}
                    id={item.id}
                    at={v.index}
                    depth={item.depth}
                    grid={grid}
                    shown={kept}
                    open={!closed.has(item.id)}
                    fold={fold}
                    alone={item.members.length > 0 && item.members.every((i) => alone.has(i))}
                    members={item.members.join(' ')}
                  />
                ) : (
                  <LightRow
                    current={v.index === here}
                    id={item.id}
                    at={v.index}
                    depth={item.depth}
                    grid={grid}
                    shown={kept}
                    warmth={warmth}
                    alone={alone.has(item.id)}
                    hushed={alone.size > 0 && !alone.has(item.id)}
                    pick={pick}
                  />
                )}
              </div>
            )
          })}
        </div>
      </div>
      </div>
      {items.length === 0 && <p className="none">{filter ? 'No light fits this.' : 'No lights yet: New, above.'}</p>}
      {picked.size > 1 && (
        <div className="many" role="status">
          <b>{picked.size} lights</b> are edited together: their differences stay.{' '}
          <Tip title="Ctrl G">
            <Button onClick={() => lightEdits.newGroup([...picked])}>group them</Button>
          </Tip>
        </div>
      )}
      <LedgerMenus
        open={menu}
        close={() => setMenu(null)}
        scope={scope}
        setScope={setScope}
        dearest={dearest}
        sort={sort}
        by={setSort}
        shown={shown}
        show={(next) => {
          setShown(next)
          storeColumns(next)
          // What is asked for is seen: the Ledger grows if need be.
          if (next.length > shown.length && width < needed(next)) size({ side: needed(next) })
        }}
      />
    </section>
  )
}
