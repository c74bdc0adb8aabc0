import { Menu, MenuItem } from '@mui/material'
import { useVirtualizer } from '@tanstack/react-virtual'
import { useCallback, useEffect, useLayoutEffect, useMemo, useRef, useState } from 'react'
import type { Warmth } from '../api.gen'
import { size, usePanes } from '../frame/panes'
import { cameraNow, choose, chooseAll, useLook } from '../picture/look'
import { pivotAt } from '../picture/navigate'
import { groupsOf } from '../setup/sums'
import { entries, useSetup } from '../setup/store'
import { Tip } from '../ui/Tip'
import { columns, fitting, leastName, needed, sorted, storeColumns, storedColumns, type Facts, type Sort } from './columns'
import { deeds, kindNames } from './deeds'
import { focusMoves, scopeNames, useFacts, useTold, type Scope } from './facts'
import { readFilter } from './filter'
import { GroupRow } from './GroupRow'
import { LightRow } from './LightRow'

type Item = { kind: 'group'; id: string; depth: number; members: string[] } | { kind: 'light'; id: string; depth: number }

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
  const [menu, setMenu] = useState<{ at: HTMLElement; what: 'columns' | 'new' | 'scope' } | null>(null)
  const facts = useFacts(doc, warmth, scope, shown.includes('notice') || /\bnotice/.test(filter))
  const list = useRef<HTMLDivElement>(null)
  // The row that Tab comes to: the last that had the focus.
  const [at, setAt] = useState(0)
  const width = usePanes((x) => x.side)
  const anchor = useRef<string | null>(null)

  const factsOf = useCallback((id: string): Facts => ({ gives: facts.g[id], cost: facts.costs[id], notice: facts.missed[id] }), [facts])
  const items = useMemo((): Item[] => {
    if (!doc) return []
    const fits = readFilter(filter)
    const visible = entries(doc.lights).filter(([id, l]) => fits(l, id, doc, { gives: facts.g[id]?.share, cost: facts.costs[id], notice: facts.missed[id]?.mean }))
    if (sort !== 'order') return sorted(visible, sort, factsOf).map(([id]) => ({ kind: 'light', id, depth: 0 }))
    const out: Item[] = []
    const under = (parent: string, depth: number) => {
      for (const [id] of entries(doc.groups)) {
        if ((doc.groups[id]?.parent ?? '') !== parent) continue
        const inside = new Set([id])
        for (const [k] of Object.entries(doc.groups)) if (groupsOf(doc, k).includes(doc.groups[id] as never)) inside.add(k)
        const members = visible.filter(([, l]) => inside.has(l.group)).map(([i]) => i)
        if (filter && members.length === 0) continue
        out.push({ kind: 'group', id, depth, members })
        if (closed.has(id)) continue
        under(id, depth + 1)
        for (const [i, l] of visible) if (l.group === id) out.push({ kind: 'light', id: i, depth })
      }
    }
    under('', 0)
    for (const [i, l] of visible) if (!doc.groups[l.group]) out.push({ kind: 'light', id: i, depth: 0 })
    return out
  }, [doc, filter, sort, facts, factsOf, closed])

  const rows = useVirtualizer({ count: items.length, getScrollElement: () => list.current, estimateSize: (i) => (items[i]?.kind === 'light' && items[i].id === open ? 230 : 28), overscan: 12, getItemKey: (i) => `${items[i]?.kind}-${items[i]?.id}` })

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
    useTold.setState({ facts: told, most: Math.max(0.01, ...Object.values(facts.g).map((x) => x.share)) })
  }, [doc, facts, factsOf])

  const columnsKey = (slim ? columns.filter((c) => c.id === 'gives') : fitting(shown, width)).map((c) => c.id).join()
  const kept = useMemo(() => columns.filter((c) => columnsKey.split(',').includes(c.id)), [columnsKey])
  const grid = useMemo(() => ({ gridTemplateColumns: slim ? '18px minmax(60px, 1fr) 34px 52px' : `18px minmax(${leastName}px, 1fr) 54px 34px ${kept.map((c) => `${c.width}px`).join(' ')} 48px` }), [slim, kept])
  const lights = useMemo(() => items.filter((x) => x.kind === 'light').map((x) => x.id), [items])
  const inOrder = useRef(lights)
  useLayoutEffect(() => void (inOrder.current = lights), [lights])
  const fold = useCallback((id: string) => setClosed((c) => new Set(c.has(id) ? [...c].filter((x) => x !== id) : [...c, id])), [])
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
  const sum = (ids: string[], f: (id: string) => number) => ids.reduce((a, i) => a + f(i), 0)
  const here = Math.min(at, items.length - 1)
  const focusRow = (i: number) => {
    rows.scrollToIndex(i, { align: 'auto' })
    // The row may have to be drawn first.
    requestAnimationFrame(() => list.current?.querySelector<HTMLElement>(`[data-row][data-at="${i}"]`)?.focus())
  }
  const keys = (e: React.KeyboardEvent) => {
    const at = Number((document.activeElement as HTMLElement | null)?.dataset.at ?? -1)
    if (at < 0 || (e.target as HTMLElement).tagName === 'INPUT' || useLook.getState().walking) return
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
      if (to.kind === 'group') deeds.regroup(ids, to.id, null)
      else if (!ids.includes(to.id)) deeds.regroup(ids, doc.lights[to.id]?.group ?? '', to.id)
    } else if (what === 'group' && to.kind === 'group') deeds.nest(id, to.id)
  }
  return (
    <section className={`ledger${slim ? ' slim' : ''}`} aria-label="Ledger" onKeyDown={keys} onFocus={(e) => setAt(Number((e.target as HTMLElement).closest<HTMLElement>('[data-row]')?.dataset.at ?? at))}>
      <div className="ledger-tools">
        <input
          className="text"
          type="search"
          aria-label="Find and filter lights"
          placeholder="Find: live shadows gives under 1 %"
          value={filter}
          onChange={(e) => setFilter(e.target.value)}
          onKeyDown={(e) => {
            if (e.key === 'Escape') setFilter('')
            if (e.key === 'Enter') chooseAll(lights)
            e.stopPropagation()
          }}
        />
        {filter && <span className="quiet">{lights.length} found</span>}
        <button type="button" className="menu-word" aria-haspopup="menu" onClick={(e) => setMenu({ at: e.currentTarget, what: 'new' })}>
          New ▾
        </button>
        <button type="button" className="menu-word" aria-haspopup="menu" onClick={(e) => setMenu({ at: e.currentTarget, what: 'columns' })}>
          Columns ▾
        </button>
      </div>
      <div className="grid" role="treegrid" aria-label="Lights" aria-rowcount={items.length + 1}>
      <div className="row head" role="row" aria-rowindex={1} style={grid}>
        <span role="columnheader">
          <span className="unseen">kind</span>
        </span>
        <span role="columnheader">
        <Tip title="Sort by name, or back to the order of the groups">
        <button type="button" onClick={() => setSort(sort === 'name' ? 'order' : 'name')} aria-pressed={sort !== 'order'}>
          {sort === 'order' ? `${Object.keys(doc.lights).length} lights` : sort === 'worth' ? 'least for its cost first' : `by ${sort}`}
        </button>
        </Tip>
        </span>
        {!slim && <span role="columnheader">stops</span>}
        <span role="columnheader">
          <span className="unseen">stops, number</span>
        </span>
        {kept.map((c) =>
          c.id === 'gives' ? (
            <span key={c.id} role="columnheader" className="right">
              <Tip title={scope === 'worst' ? `The dearest view: ${doc.views[facts.dearest]?.name}` : c.says}>
                <button type="button" aria-haspopup="menu" onClick={(e) => setMenu({ at: e.currentTarget, what: 'scope' })}>
                  {scopeNames[scope]}
                </button>
              </Tip>
            </span>
          ) : c.id === 'costs' ? (
            <span key={c.id} role="columnheader" className="right">
              <Tip title="Sort by cost, then by what a light gives for its cost">
                <button type="button" onClick={() => setSort(sort === 'costs' ? 'worth' : sort === 'worth' ? 'order' : 'costs')}>
                  costs
                </button>
              </Tip>
            </span>
          ) : (
            <Tip key={c.id} title={c.says}>
              <span role="columnheader" className="right">
                {c.name}
              </span>
            </Tip>
          ),
        )}
        {!slim && (
          <span role="columnheader">
            <span className="unseen">off, alone</span>
          </span>
        )}
      </div>
      <div className="rows" ref={list} role="rowgroup">
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
                    share={item.members.some((i) => facts.g[i]) ? sum(item.members, (i) => facts.g[i]?.share ?? 0) : undefined}
                    costs={item.members.some((i) => facts.costs[i]) ? sum(item.members, (i) => facts.costs[i]?.ms ?? 0) : undefined}
                    mb={item.members.some((i) => facts.costs[i]) ? sum(item.members, (i) => facts.costs[i]?.mb ?? 0) : undefined}
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
            <button type="button" className="word" onClick={() => deeds.newGroup([...picked])}>
              group them
            </button>
          </Tip>
        </div>
      )}
      <Menu open={menu?.what === 'scope'} anchorEl={menu?.at} onClose={() => setMenu(null)} onClick={() => setMenu(null)}>
        {(Object.keys(scopeNames) as Scope[]).map((s) => (
          <MenuItem key={s} selected={s === scope} onClick={() => setScope(s)}>
            {s === 'here' ? 'In this view' : s === 'all' ? 'In all views together' : `In the worst view: ${doc.views[facts.dearest]?.name ?? ''}`}
          </MenuItem>
        ))}
        <MenuItem selected={sort === 'gives'} onClick={() => setSort(sort === 'gives' ? 'order' : 'gives')}>
          Sort by it
        </MenuItem>
      </Menu>
      <Menu open={menu?.what === 'columns'} anchorEl={menu?.at} onClose={() => setMenu(null)}>
        {columns.map((c) => (
          <MenuItem
            key={c.id}
            role="menuitemcheckbox"
            aria-checked={shown.includes(c.id)}
            selected={shown.includes(c.id)}
            onClick={() => {
              const next = shown.includes(c.id) ? shown.filter((x) => x !== c.id) : [...shown, c.id]
              setShown(next)
              storeColumns(next)
              // What is asked for is seen: the Ledger grows if need be.
              if (next.length > shown.length && width < needed(next)) size({ side: needed(next) })
            }}
          >
            {c.name} <span className="says">{c.says}</span>
          </MenuItem>
        ))}
      </Menu>
      <Menu open={menu?.what === 'new'} anchorEl={menu?.at} onClose={() => setMenu(null)} onClick={() => setMenu(null)}>
        {(['point', 'spot', 'rect', 'disc', 'line', 'sun', 'sky'] as const).map((k) => (
          <MenuItem
            key={k}
            onClick={() => {
              const c = cameraNow()
              if (c) deeds.create(k, c, pivotAt(c, 0.5, 0.5))
            }}
          >
            {kindNames[k]}
          </MenuItem>
        ))}
        <MenuItem onClick={() => deeds.newGroup([...picked])}>Group{picked.size ? ` of the ${picked.size} chosen` : ''}</MenuItem>
      </Menu>
    </section>
  )
}
