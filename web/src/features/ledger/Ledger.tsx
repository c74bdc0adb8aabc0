import { Button } from '@mui/material'
import { lazy, Suspense, useCallback, useMemo, useRef, useState } from 'react'
import type { Setup, Warmth } from '../../api.gen'
import { lightEdits } from '../../kernel/lightEdits'
import { useLook } from '../../kernel/look'
import { size, usePanes } from '../../kernel/panes'
import { useSetup } from '../../kernel/store'
import { Tip } from '../../ui/Tip'
import { needed, storeColumns, storedColumns, type Column, type Facts, type Sort } from './columns'
import { scopeNames, useFacts, type Scope } from './facts'
import { readTerms } from './filter'
import { GroupRow } from './GroupRow'
import { groupOver, useItems, type Item } from './items'
import { LedgerHead } from './LedgerHead'
import type { MenuName } from './LedgerMenus'
import { LedgerTools } from './LedgerTools'
import { LightRow } from './LightRow'
import { useColumns, useFolding, usePicking, useRowKeys, useRows, useTelling } from './useRows'

const LedgerMenus = lazy(() => import('./LedgerMenus').then((m) => ({ default: m.LedgerMenus })))

/** Ledger is the one list of lights: what each gives and what it costs on the target. Slim, it is a strip beside the picture. */
export function Ledger({ warmth, slim = false }: { warmth: Warmth; slim?: boolean }) {
  const doc = useSetup((s) => s.doc)
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
  const { closed, fold } = useFolding()

  const factsOf = useCallback((id: string): Facts => ({ gives: facts.g[id], cost: facts.costs[id], notice: facts.missed[id] }), [facts])
  const terms = useMemo(() => readTerms(filter), [filter])
  const items = useItems(doc, terms, sort, closed, factsOf)
  const rows = useRows(items, list)
  useTelling(doc, facts, factsOf, items)
  const { kept, grid } = useColumns(shown, width, slim)
  const lights = useMemo(() => items.filter((x) => x.kind === 'light').map((x) => x.id), [items])
  const { pick, chooseFound } = usePicking(lights)
  const keys = useRowKeys(doc, items, sort, list, (i) => rows.scrollToIndex(i, { align: 'auto' }))
  const showMenu = useCallback((at: HTMLElement, what: MenuName) => setMenu({ at, what }), [])
  const scopeMenu = useCallback((at: HTMLElement) => setMenu({ at, what: 'scope' }), [])

  if (!doc) return <section className="ledger" aria-label="Ledger" />
  const dearest = doc.views[facts.dearest]?.name ?? ''
  const show = (next: string[]) => {
    setShown(next)
    storeColumns(next)
    // What is asked for is seen: the Ledger grows if need be.
    if (next.length > shown.length && width < needed(next)) size({ side: needed(next) })
  }
  return (
    <section className={`ledger${slim ? ' slim' : ''}`} aria-label="Ledger" onKeyDown={keys} onFocus={(e) => setAt(Number((e.target as HTMLElement).closest<HTMLElement>('[data-row]')?.dataset.at ?? at))}>
      <LedgerTools text={filter} terms={terms} found={lights.length} change={setFilter} chooseFound={chooseFound} menu={showMenu} />
      <div className="grid" role="treegrid" aria-label="Lights" aria-rowcount={items.length + 1}>
        <LedgerHead grid={grid} shown={kept} slim={slim} sort={sort} by={setSort} count={Object.keys(doc.lights).length} scope={scopeNames[scope]} scopeSays={scope === 'worst' ? `The dearest view: ${dearest}` : 'share of the picture’s light'} scopeMenu={scopeMenu} />
        <div className="rows" ref={list} role="rowgroup">
          <GroupOver rows={rows} items={items} doc={doc} />
          <div role="presentation" style={{ height: rows.getTotalSize(), position: 'relative' }}>
            {rows.getVirtualItems().map((v) => {
              const item = items[v.index]
              if (!item) return null
              return (
                <div key={v.key} ref={rows.measureElement} data-index={v.index} role="presentation" className="slot" style={{ transform: `translateY(${v.start}px)` }} onDragOver={(e) => e.dataTransfer.types.includes('text/x-willowherb') && e.preventDefault()} onDrop={(e) => drop(e, item, doc)}>
                  <ItemRow item={item} at={v.index} current={v.index === Math.min(at, items.length - 1)} grid={grid} shown={kept} warmth={warmth} open={!closed.has(item.id)} fold={fold} pick={pick} />
                </div>
              )
            })}
          </div>
        </div>
      </div>
      {items.length === 0 && <p className="none">{filter ? 'No light fits this.' : 'No lights yet: New, above.'}</p>}
      <Several />
      <Suspense fallback={null}>{menu && <LedgerMenus open={menu} close={() => setMenu(null)} scope={scope} setScope={setScope} dearest={dearest} sort={sort} by={setSort} shown={shown} show={show} />}</Suspense>
    </section>
  )
}

/** drop puts what was dragged before a light or into a group. */
function drop(e: React.DragEvent, to: Item, doc: Setup) {
  e.preventDefault()
  const { picked } = useLook.getState()
  const [what, id] = e.dataTransfer.getData('text/x-willowherb').split(':')
  if (!id) return
  if (what === 'light') {
    const ids = picked.has(id) ? [...picked] : [id]
    if (to.kind === 'group') lightEdits.regroup(ids, to.id, null)
    else if (!ids.includes(to.id)) lightEdits.regroup(ids, doc.lights[to.id]?.group ?? '', to.id)
  } else if (what === 'group' && to.kind === 'group') lightEdits.nest(id, to.id)
}

interface ItemProps {
  item: Item
  at: number
  current: boolean
  grid: React.CSSProperties
  shown: Column[]
  warmth: Warmth
  open: boolean
  fold: (id: string) => void
  pick: (id: string, e: React.MouseEvent) => void
}

/** ItemRow is the row of a group or of a light. */
function ItemRow({ item, at, current, grid, shown, warmth, open, fold, pick }: ItemProps) {
  const alone = useLook((s) => s.alone)
  if (item.kind === 'light') return <LightRow current={current} id={item.id} at={at} depth={item.depth} grid={grid} shown={shown} warmth={warmth} alone={alone.has(item.id)} hushed={alone.size > 0 && !alone.has(item.id)} pick={pick} />
  return <GroupRow current={current} id={item.id} at={at} depth={item.depth} grid={grid} shown={shown} open={open} fold={fold} alone={item.members.length > 0 && item.members.every((i) => alone.has(i))} members={item.members.join(' ')} />
}

/** GroupOver is the name of the group whose lights are in sight while its own row is not. */
function GroupOver({ rows, items, doc }: { rows: ReturnType<typeof useRows>; items: Item[]; doc: Setup }) {
  const first = rows.getVirtualItems().find((v) => v.end > (rows.scrollOffset ?? 0))
  const over = first ? groupOver(items, first.index) : -1
  const group = items[over]?.kind === 'group' ? doc.groups[items[over].id] : undefined
  if (!group) return null
  return (
    <div className="over-group" role="presentation" aria-hidden="true" onClick={() => rows.scrollToIndex(over, { align: 'start' })}>
      {group.name}
    </div>
  )
}

/** Several says that more than one light is chosen. */
function Several() {
  const picked = useLook((s) => s.picked)
  if (picked.size < 2) return null
  return (
    <div className="many" role="status">
      <b>{picked.size} lights</b> are edited together: their differences stay.{' '}
      <Tip title="Ctrl G">
        <Button onClick={() => lightEdits.newGroup([...picked])}>group them</Button>
      </Tip>
    </div>
  )
}
