import { Menu, MenuItem, Slider } from '@mui/material'
import { CaretDown } from '@phosphor-icons/react/dist/csr/CaretDown'
import { CaretRight } from '@phosphor-icons/react/dist/csr/CaretRight'
import { CircleHalf } from '@phosphor-icons/react/dist/csr/CircleHalf'
import { LockSimple } from '@phosphor-icons/react/dist/csr/LockSimple'
import { Palette } from '@phosphor-icons/react/dist/csr/Palette'
import { Power } from '@phosphor-icons/react/dist/csr/Power'
import { NumberField } from '../fields/NumberField'
import { useQuery } from '@tanstack/react-query'
import { useVirtualizer } from '@tanstack/react-virtual'
import { create } from 'zustand'
import { memo, useCallback, useEffect, useLayoutEffect, useMemo, useRef, useState } from 'react'
import type { Cost, Light, Notice, Setup, Warmth } from '../api.gen'
import { becomes, giveBack, readNumber, stopsText, tidy } from '../fields/number'
import { api } from '../net/client'
import { pivotAt } from '../picture/navigate'
import { cameraNow, choose, chooseAll, toggleAlone, useLook } from '../picture/look'
import { gains, gives, groupsOf, isOff, mixed, type Gives } from '../setup/sums'
import { toneOf } from '../setup/tone'
import { entries, eraNow, lampsNow, useSetup } from '../setup/store'
import { unitNames, unitOf } from '../setup/units'
import { size, usePanes } from '../frame/panes'
import { columns, fitting, leastName, needed, sorted, storeColumns, storedColumns, type Facts, type Sort } from './columns'
import { deeds, kindNames, lockedLight, othersOf, type Way } from './deeds'
import { readFilter } from './filter'
import { LightGlyph } from './glyph'
import { OpenLight } from './OpenLight'
import { Tip } from '../ui/Tip'

const percent = (v: number | undefined) => (v === undefined ? '' : v === 0 ? '0%' : v < 0.001 ? '<0.1%' : v < 0.0995 ? `${(100 * v).toFixed(1)}%` : `${Math.round(100 * v)}%`)
const ms = (v: number | undefined) => (v === undefined ? '' : v.toFixed(2))

/** Where gives, costs and notice are read: this view, all views together, or the dearest one. */
type Scope = 'here' | 'all' | 'worst'
const scopeNames: Record<Scope, string> = { here: 'gives', all: 'all views', worst: 'worst' }

type Item = { kind: 'group'; id: string; depth: number; members: string[] } | { kind: 'light'; id: string; depth: number }

/** useFacts gathers what every light gives, costs and how it would be missed. */
function useFacts(doc: Setup | null, warmth: Warmth, scope: Scope, wantNotice: boolean) {
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
        const t = (g[i] ??= { direct: 0, bounced: 0, share: 0 })
        t.direct += x.direct
        t.bounced += x.bounced
        t.share += x.share
      }
    }
    for (const t of Object.values(g)) {
      t.direct /= n
      t.bounced /= n
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
const useTold = create<{ facts: Record<string, Facts>; most: number }>(() => ({ facts: {}, most: 0.01 }))

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
  const pick = useCallback(
    (id: string, e: React.MouseEvent) => {
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
    [lights],
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
      keepPicked = true
    }
    const there = list.current?.querySelector<HTMLElement>(`[data-row][data-at="${i}"]`)
    if (there) there.focus()
    else focusRow(i)
    keepPicked = false
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
                    shown={kept.map((c) => c.id)}
                    doc={doc}
                    open={!closed.has(item.id)}
                    toggle={() => setClosed((c) => new Set(c.has(item.id) ? [...c].filter((x) => x !== item.id) : [...c, item.id]))}
                    share={item.members.some((i) => facts.g[i]) ? sum(item.members, (i) => facts.g[i]?.share ?? 0) : undefined}
                    costs={item.members.some((i) => facts.costs[i]) ? sum(item.members, (i) => facts.costs[i]?.ms ?? 0) : undefined}
                    mb={item.members.some((i) => facts.costs[i]) ? sum(item.members, (i) => facts.costs[i]?.mb ?? 0) : undefined}
                    alone={item.members.length > 0 && item.members.every((i) => alone.has(i))}
                    members={item.members}
                  />
                ) : (
                  <LightRow
                    current={v.index === here}
                    id={item.id}
                    at={v.index}
                    depth={item.depth}
                    grid={grid}
                    shown={kept}
                    doc={doc}
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

// Focus moving by Shift and arrows adds to what is chosen; by itself it chooses.
let keepPicked = false

/** A name that is edited in place: a double click or F2. */
function Name({ value, done, label, drag }: { value: string; done: (v: string) => void; label: string; drag: string }) {
  const [text, setText] = useState<string | null>(null)
  const box = useRef<HTMLSpanElement>(null)
  useEffect(() => {
    const row = box.current?.closest<HTMLElement>('[data-row]')
    const f2 = (e: KeyboardEvent) => e.key === 'F2' && e.target === row && setText(value)
    row?.addEventListener('keydown', f2)
    return () => row?.removeEventListener('keydown', f2)
  }, [value])
  return (
    <Tip title={value}>
      <span ref={box} className="name" onDoubleClick={() => setText(value)} draggable={text === null} onDragStart={(e) => e.dataTransfer.setData('text/x-willowherb', drag)}>
        {text === null ? (
          value
        ) : (
          <input
            autoFocus
            aria-label={label}
            value={text}
            maxLength={80}
            onFocus={(e) => e.target.select()}
            onChange={(e) => setText(e.target.value)}
            onBlur={() => {
              done(text)
              setText(null)
            }}
            onKeyDown={(e) => {
              e.stopPropagation()
              if (e.key === 'Enter') e.currentTarget.blur()
              if (e.key === 'Escape') setText(null)
            }}
          />
        )}
      </span>
    </Tip>
  )
}

/** Lock is seen where a row is locked, or under the pointer. */
function Lock({ name, locked, toggle, current }: { current: boolean; name: string; locked: boolean; toggle: () => void }) {
  return (
    <Tip title={locked ? 'Unlock (K)' : 'Lock: hands and fields leave it alone (K)'}>
      <button
        type="button"
        tabIndex={current ? 0 : -1}
        className={`lock${locked ? '' : ' open'}`}
        aria-label={`${name} locked`}
        aria-pressed={locked}
        onClick={(e) => {
          e.stopPropagation()
          toggle()
        }}
      >
        <LockSimple size={11} />
      </button>
    </Tip>
  )
}

/** Stops is a slider round nought and its number. */
function Stops({ name, value, change, locked, others, current }: { current: boolean; name: string; value: number; change: (v: number, done: Way) => void; locked: boolean; others?: () => number[] }) {
  const [text, setText] = useState<string | null>(null)
  const [held, setHeld] = useState(false)
  // Where the knob was taken: until the hand has moved, it has changed nothing.
  const taken = useRef<{ x: number; era: number } | null>(null)
  const still = (e: Event) => {
    const t = taken.current
    if (t && e instanceof MouseEvent && Math.abs(e.clientX - t.x) > 2) t.x = Infinity
    return t !== null && t.x !== Infinity
  }
  const era = useRef(0)
  const commit = () => {
    if (text === null || text === stopsText(value)) return true
    const r = readNumber(text, value)
    if (!r) return false
    change(r.stops !== undefined ? value + r.stops : r.value, true)
    return true
  }
  const typed = text !== null && text !== stopsText(value) ? becomes(readNumber(text, value), text, others?.() ?? [], stopsText, (v) => Math.min(Math.max(v, -10), 10)) : ''
  return (
    <>
      <span role="gridcell" className="stops-cell">
      <Slider
        slotProps={{ input: { tabIndex: current ? 0 : -1 } }}
        className="stops"
        size="small"
        track={false}
        disabled={locked}
        marks={[{ value: 0 }]}
        min={-4}
        max={4}
        step={held ? 0.01 : 0.1}
        value={Math.min(Math.max(value, -4), 4)}
        getAriaLabel={() => `${name} stops`}
        getAriaValueText={(v) => `${stopsText(v)} stops`}
        onPointerDownCapture={(e) => {
          era.current = eraNow()
          taken.current = (e.target as Element).closest('.MuiSlider-thumb') ? { x: e.clientX, era: eraNow() } : null
        }}
        onKeyDown={(e) => setHeld(e.shiftKey)}
        onChange={(e, v) => {
          if (e.type === 'keydown') change(v as number, 'held')
          else if (era.current === eraNow() && !still(e)) change(v as number, false)
        }}
        onChangeCommitted={(e, v) => {
          const idle = still(e as Event)
          taken.current = null
          if (e.type !== 'keyup' && e.type !== 'keydown' && !idle && era.current === eraNow()) change(v as number, true)
        }}
        onDoubleClick={() => change(0, true)}
      />
      </span>
      <span className="stops-box" role="gridcell">
        <input
          tabIndex={current ? 0 : -1}
          className="stops-text"
          aria-label={`${name} stops, number`}
          readOnly={locked}
          value={text ?? stopsText(value)}
          onFocus={(e) => {
            setText(stopsText(value))
            e.target.select()
          }}
          onChange={(e) => setText(e.target.value)}
          onBlur={() => {
            commit()
            setText(null)
          }}
          onKeyDown={(e) => {
            e.stopPropagation()
            if (e.key === 'Escape') {
              setText(null)
              requestAnimationFrame(() => giveBack(box(e.target)))
            }
            if (e.key === 'Enter' && readNumber(text ?? '', value)) giveBack(box(e.target))
          }}
        />
        {typed && (
          <span className={`becomes${typed === 'no number' ? ' wrong' : ''}`} role="status">
            {typed}
          </span>
        )}
      </span>
    </>
  )
}

const box = (t: EventTarget) => t as HTMLElement

interface RowProps {
  /** The row that the keyboard comes to. */
  current: boolean
  id: string
  at: number
  depth: number
  grid: React.CSSProperties
  shown: { id: string }[]
  doc: Setup
  warmth: Warmth
  alone: boolean
  hushed: boolean
  pick: (id: string, e: React.MouseEvent) => void
}

function LightRow(p: RowProps) {
  const l = p.doc.lights[p.id]
  if (!l) return null
  const { doc, warmth, ...rest } = p
  return <Row {...rest} l={l} colour={toneOf(doc, p.id, l, warmth)} off={isOff(doc, l)} locked={lockedLight(doc, l)} warmth={warmth} />
}

const Row = memo(function Row({ current, id, at, depth, grid, shown, l, warmth, colour, off, locked, alone, hushed, pick }: Omit<RowProps, 'doc'> & { l: Light; colour: string; off: boolean; locked: boolean }) {
  const open = useLook((s) => s.open === id)
  const chosen = useLook((s) => s.picked.has(id))
  const toggle = () => {
    if (!useLook.getState().picked.has(id)) choose(id) // what is chosen with it stays
    useLook.setState({ open: open ? null : id })
  }
  const cell = (column: string) => {
    switch (column) {
      case 'gives':
        return <GivesCell key={column} id={id} colour={colour} />
      case 'costs':
        return <CostCell key={column} id={id} of="ms" />
      case 'mb':
        return <CostCell key={column} id={id} of="mb" />
      case 'notice':
        return <NoticeCell key={column} id={id} />
      case 'output':
        return <span key={column} role="gridcell" className="costs">{`${tidy(l.profile && !l.profile.scaled ? l.profile.flux : l.output)} ${unitNames[unitOf(l)]}`}</span>
      case 'warmth':
        return <span key={column} role="gridcell" className="costs">{l.colour.kelvin ? `${l.colour.kelvin} K` : 'colour'}</span>
      case 'range':
        return <span key={column} role="gridcell" className="costs">{l.range > 0 ? `${tidy(l.range)} m` : ''}</span>
      case 'role':
        return <span key={column} role="gridcell" className="carry">{l.role}</span>
    }
    return <span key={column} role="gridcell" className="carry">{l.carry}</span>
  }
  return (
    <>
      <div
        className={`row light${chosen ? ' chosen' : ''}${off && !alone ? ' is-off' : ''}${hushed ? ' hushed' : ''}`}
        data-row
        data-at={at}
        data-light={id}
        role="row"
        aria-rowindex={at + 2}
        aria-level={depth + 2}
        aria-selected={chosen}
        tabIndex={current ? 0 : -1}
        style={grid}
        aria-label={`${l.name}, ${stopsText(l.stops)} stops, ${l.carry}${off ? ', off' : ''}${locked ? ', locked' : ''}`}
        aria-expanded={open}
        onFocus={(e) => {
          if (e.target === e.currentTarget && !keepPicked && !e.currentTarget.matches(':active') && !useLook.getState().picked.has(id)) choose(id)
        }}
        onClick={(e) => {
          const t = e.target as HTMLElement
          if (t.closest('.acts, .stops, .stops-text, input')) return
          if (e.shiftKey || e.ctrlKey || e.metaKey || !t.closest('.name')) pick(id, e)
          else {
            pick(id, e)
            toggle()
          }
        }}
        onKeyDown={(e) => {
          // While walking the arrows are the feet's.
          if (e.target !== e.currentTarget || e.ctrlKey || e.metaKey || useLook.getState().walking) return
          const step = e.shiftKey ? 0.1 : 1 / 3
          if (e.key === 'ArrowRight') deeds.stops(id, l, l.stops + step, 'held')
          else if (e.key === 'ArrowLeft') deeds.stops(id, l, l.stops - step, 'held')
          else if (e.key === 'Enter') toggle()
          else if (e.key === 'o') deeds.off(id, l)
          else if (e.key === 'a') toggleAlone([...useLook.getState().picked], false)
          else if (e.key === 'A') toggleAlone([id], true)
          else if (e.key === '0') deeds.stops(id, l, 0)
          else return
          e.preventDefault()
          e.stopPropagation()
        }}
      >
        <span role="gridcell">
          <LightGlyph kind={l.kind} colour={colour} off={off && !alone} />
        </span>
        <span className="indent" role="gridcell" style={{ paddingLeft: depth * 10 }}>
          <Name value={l.name} label={`Name of ${l.name}`} drag={`light:${id}`} done={(n) => deeds.rename(id, l, n)} />
          <Lock current={current} name={l.name} locked={locked} toggle={() => deeds.lock([id])} />
        </span>
        <Stops current={current} name={l.name} value={l.stops} locked={locked} others={() => othersOf(id, (q) => q.stops)} change={(v, done) => deeds.stops(id, l, v, done)} />
        {shown.map((c) => cell(c.id))}
        <span className="acts" role="gridcell">
          <Tip title={l.off ? 'Turn on (O)' : 'Turn off (O)'}>
            <button type="button" tabIndex={current ? 0 : -1} aria-label={`${l.name} off`} aria-pressed={l.off} onClick={() => deeds.off(id, l)}>
              <Power size={13} />
            </button>
          </Tip>
          <Tip title="Alone (A); with Shift, together with others">
            <button type="button" tabIndex={current ? 0 : -1} aria-label={`${l.name} alone`} aria-pressed={alone} onClick={(e) => toggleAlone([id], e.shiftKey)}>
              <CircleHalf size={13} weight={alone ? 'fill' : 'regular'} />
            </button>
          </Tip>
        </span>
      </div>
      {open && (
        <div role="row" aria-level={depth + 3}>
          <div role="gridcell">
            <OpenLight id={id} l={l} warmth={warmth} locked={locked} />
          </div>
        </div>
      )}
    </>
  )
})

/** GivesCell is what a light gives: its share, and under it a bar of direct and, paler, bounced. */
function GivesCell({ id, colour }: { id: string; colour: string }) {
  const g = useTold((s) => s.facts[id]?.gives)
  const most = useTold((s) => s.most)
  return (
    <Tip title={g ? `direct ${percent(g.direct)}, bounced ${percent(g.bounced)} of the light` : ''} placement="left">
      <span className="gives" role="gridcell">
        <span className="share" data-testid={`gives-${id}`}>
          {percent(g?.share)}
        </span>
        <span className="bars">
          <span style={{ width: `${(100 * (g?.direct ?? 0)) / most}%`, background: colour }} />
          <span className="bounced" style={{ width: `${(100 * (g?.bounced ?? 0)) / most}%`, background: colour }} />
        </span>
      </span>
    </Tip>
  )
}

function CostCell({ id, of }: { id: string; of: 'ms' | 'mb' }) {
  const text = useTold((s) => (of === 'ms' ? ms(s.facts[id]?.cost?.ms) : (s.facts[id]?.cost?.mb.toFixed(1) ?? '')))
  return (
    <span role="gridcell" className="costs">
      {text}
    </span>
  )
}

function NoticeCell({ id }: { id: string }) {
  const n = useTold((s) => s.facts[id]?.notice)
  return (
    <Tip title={n ? `Gone, the picture would differ by ${n.mean.toFixed(2)} on average, by ${n.p95.toFixed(1)} or more in a twentieth of it; 1 is just seen` : ''}>
      <span role="gridcell" className="costs" data-testid={`notice-${id}`}>
        {n ? `${n.mean.toFixed(1)} · ${n.p95.toFixed(1)}` : ''}
      </span>
    </Tip>
  )
}

interface GroupProps {
  current: boolean
  id: string
  at: number
  depth: number
  grid: React.CSSProperties
  shown: string[]
  doc: Setup
  open: boolean
  toggle: () => void
  share: number | undefined
  costs: number | undefined
  mb: number | undefined
  alone: boolean
  members: string[]
}

function GroupRow({ current, id, at, depth, grid, shown, doc, open, toggle, share, costs, mb, alone, members }: GroupProps) {
  const g = doc.groups[id]
  const [shifting, setShifting] = useState(false)
  if (!g) return null
  return (
    <>
    <div
      className={`row group${g.off ? ' is-off' : ''}`}
      role="row"
      aria-rowindex={at + 2}
      aria-level={depth + 1}
      data-row
      data-at={at}
      data-group={id}
      tabIndex={current ? 0 : -1}
      style={grid}
      aria-label={`Group ${g.name}, trim ${stopsText(g.trim)} stops, gives ${percent(share)}`}
      aria-expanded={open}
      onKeyDown={(e) => {
        if (e.target !== e.currentTarget || e.ctrlKey || e.metaKey || useLook.getState().walking) return
        const step = e.shiftKey ? 0.1 : 1 / 3
        if (e.key === 'ArrowRight') deeds.trim(id, doc, g.trim + step, 'held')
        else if (e.key === 'ArrowLeft') deeds.trim(id, doc, g.trim - step, 'held')
        else if (e.key === 'Enter') toggle()
        else if (e.key === 'o') deeds.groupOff(id, doc)
        else if (e.key === 'k') deeds.lockGroup(id, doc)
        else if (e.key === 'a' || e.key === 'A') toggleAlone(members, e.shiftKey)
        else if (e.key === 'Delete') deeds.ungroup(id)
        else return
        e.preventDefault()
        e.stopPropagation()
      }}
    >
      <span role="gridcell">
        <button type="button" className="fold" tabIndex={current ? 0 : -1} aria-label={open ? `Fold ${g.name}` : `Unfold ${g.name}`} onClick={toggle}>
          {open ? <CaretDown size={12} weight="fill" /> : <CaretRight size={12} weight="fill" />}
        </button>
      </span>
      <span className="indent" role="gridcell" style={{ paddingLeft: depth * 10 }} onClick={(e) => (e.ctrlKey || e.shiftKey || e.detail === 1) && chooseAll(members)}>
        <Name value={g.name} label={`Name of ${g.name}`} drag={`group:${id}`} done={(n) => deeds.renameGroup(id, doc, n)} />
        <Lock current={current} name={g.name} locked={Boolean(g.locked)} toggle={() => deeds.lockGroup(id, doc)} />
        <Tip title="Warmth and hue of all in it">
          <button type="button" className={`lock${g.hue || g.mired ? '' : ' open'}`} tabIndex={current ? 0 : -1} aria-label={`${g.name} shift`} aria-pressed={shifting} onClick={(e) => {
              e.stopPropagation()
              setShifting(!shifting)
            }}>
            <Palette size={13} weight={g.hue || g.mired ? 'fill' : 'regular'} />
          </button>
        </Tip>
      </span>
      <Stops current={current} name={`${g.name} trim`} value={g.trim} locked={Boolean(g.locked)} change={(v, done) => deeds.trim(id, doc, v, done)} />
      {shown.map((c) =>
        c === 'gives' ? (
          <span key={c} className="gives" role="gridcell">
            <span className="share">{percent(share)}</span>
          </span>
        ) : c === 'costs' ? (
          <span key={c} role="gridcell" className="costs">{ms(costs)}</span>
        ) : c === 'mb' ? (
          <span key={c} role="gridcell" className="costs">{mb?.toFixed(1)}</span>
        ) : (
          <span key={c} role="gridcell" />
        ),
      )}
      <span className="acts" role="gridcell">
        <Tip title="Turn the group off or on (O)">
          <button type="button" tabIndex={current ? 0 : -1} aria-label={`${g.name} off`} aria-pressed={g.off} onClick={() => deeds.groupOff(id, doc)}>
            <Power size={13} />
          </button>
        </Tip>
        <Tip title="This group alone (A)">
          <button type="button" tabIndex={current ? 0 : -1} aria-label={`${g.name} alone`} aria-pressed={alone} onClick={(e) => toggleAlone(members, e.shiftKey)}>
            <CircleHalf size={13} weight={alone ? 'fill' : 'regular'} />
          </button>
        </Tip>
      </span>
    </div>
    {shifting && (
      <div role="row" aria-level={depth + 2}>
      <div role="gridcell" className="group-shift">
        <span className="label">Warmth</span>
        <NumberField label={`${g.name} warmth`} value={g.mired ?? 0} unit="mired" min={-500} max={500} step={5} onDraft={(v) => deeds.groupShift(id, doc, 'mired', v, false)} onDone={(v) => deeds.groupShift(id, doc, 'mired', v)} onReset={() => deeds.groupShift(id, doc, 'mired', 0)} />
        <span className="label">Hue</span>
        <NumberField label={`${g.name} hue`} value={g.hue ?? 0} unit="°" min={-180} max={180} step={2} onDraft={(v) => deeds.groupShift(id, doc, 'hue', v, false)} onDone={(v) => deeds.groupShift(id, doc, 'hue', v)} onReset={() => deeds.groupShift(id, doc, 'hue', 0)} />
      </div>
      </div>
    )}
    </>
  )
}
