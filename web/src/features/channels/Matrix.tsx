import { ButtonBase } from '@mui/material'
import { useVirtualizer } from '@tanstack/react-virtual'
import { useRef, useState } from 'react'
import type { Setup } from '../../api.gen'
import { channelName, channelNumbers } from '../../kernel/channels'
import { Tip } from '../../ui/Tip'

/** Row is a light or a thing, with the channels that it is on as bits. */
export interface Row {
  key: string
  name: string
  depth: number
  bits: number
  kind: 'light' | 'thing'
}

/** MatrixHands are what hands and keys do in it. */
export interface MatrixHands {
  /** A drag begins in a cell, and goes over others. */
  begin: (r: Row, n: number) => void
  over: (r: Row, n: number) => void
  /** One cell is turned. */
  turn: (r: Row, n: number) => void
  row: (r: Row) => void
  column: (kind: Row['kind'], n: number) => void
}

interface Props {
  title: string
  rows: Row[]
  chosen: (r: Row) => boolean
  names: Setup['channels']
  hands: MatrixHands
}

const rowHeight = 26
const most = 12 // rows that are seen at once

/** Matrix is who is on which channel: one tab stop, arrows go from cell to cell, and only the rows in sight are drawn. */
export function Matrix({ title, rows, chosen, names, hands }: Props) {
  const list = useRef<HTMLDivElement>(null)
  const [at, setAt] = useState({ row: 0, n: 1 })
  const here = { row: Math.min(at.row, Math.max(rows.length - 1, 0)), n: at.n }
  const drawn = useVirtualizer({ count: rows.length, getScrollElement: () => list.current, estimateSize: () => rowHeight, overscan: 6, initialRect: { width: 300, height: rowHeight * most } })
  const go = (row: number, n: number) => {
    const to = { row: Math.min(Math.max(row, 0), rows.length - 1), n: Math.min(Math.max(n, 1), channelNumbers.length) }
    setAt(to)
    drawn.scrollToIndex(to.row)
    requestAnimationFrame(() => list.current?.querySelector<HTMLElement>(`[data-at="${to.row}/${to.n}"]`)?.focus())
  }
  const keys = (e: React.KeyboardEvent) => {
    const r = rows[here.row]
    const to = { ArrowUp: [-1, 0], ArrowDown: [1, 0], ArrowLeft: [0, -1], ArrowRight: [0, 1] }[e.key]
    if (to) go(here.row + (to[0] ?? 0), here.n + (to[1] ?? 0))
    else if (e.key === 'Home') go(0, here.n)
    else if (e.key === 'End') go(rows.length - 1, here.n)
    else if ((e.key === ' ' || e.key === 'Enter') && r && (e.target as HTMLElement).dataset.at) hands.turn(r, here.n)
    else return
    e.preventDefault()
    e.stopPropagation()
  }
  return (
    <div className="matrix" role="grid" aria-label={title} aria-rowcount={rows.length + 1}>
      <div className="matrix-row head" role="row" aria-rowindex={1}>
        <span role="columnheader">{title}</span>
        {channelNumbers.map((n) => (
          <span key={n} role="columnheader">
            <Tip title={`${channelName(names, n)}: on or off for all`}>
              <ButtonBase onClick={() => hands.column(rows[0]?.kind ?? 'light', n)}>{n}</ButtonBase>
            </Tip>
          </span>
        ))}
      </div>
      <div className="matrix-rows" role="rowgroup" ref={list} style={{ height: rowHeight * Math.min(rows.length, most) }} onKeyDown={keys}>
        <div role="presentation" style={{ height: drawn.getTotalSize(), position: 'relative' }}>
          {drawn.getVirtualItems().map((v) => {
            const r = rows[v.index]
            if (!r) return null
            return (
              <div key={r.key} className={`matrix-row${chosen(r) ? ' on' : ''}`} role="row" aria-rowindex={v.index + 2} style={{ position: 'absolute', top: 0, left: 0, right: 0, height: rowHeight, transform: `translateY(${v.start}px)` }}>
                <span role="rowheader" style={{ paddingLeft: 4 + r.depth * 12 }}>
                  <Tip title={`${r.name}: all, or none`}>
                    <ButtonBase tabIndex={here.row === v.index ? 0 : -1} onClick={() => hands.row(r)}>
                      {r.name}
                    </ButtonBase>
                  </Tip>
                </span>
                {channelNumbers.map((n) => (
                  <span key={n} role="gridcell">
                    <ButtonBase
                      role="checkbox"
                      tabIndex={here.row === v.index && here.n === n ? 0 : -1}
                      aria-checked={Boolean(r.bits & (1 << (n - 1)))}
                      aria-label={`${r.name}, ${channelName(names, n)}`}
                      data-cell={`${r.key}/${n}`}
                      data-at={`${v.index}/${n}`}
                      onFocus={() => setAt({ row: v.index, n })}
                      onPointerDown={(e) => {
                        if (e.button !== 0) return
                        e.currentTarget.releasePointerCapture(e.pointerId)
                        hands.begin(r, n)
                      }}
                      onPointerEnter={() => hands.over(r, n)}
                    />
                  </span>
                ))}
              </div>
            )
          })}
        </div>
      </div>
    </div>
  )
}
