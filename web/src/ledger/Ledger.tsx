import { Slider, Tooltip } from '@mui/material'
import { CaretDown } from '@phosphor-icons/react/dist/csr/CaretDown'
import { CaretRight } from '@phosphor-icons/react/dist/csr/CaretRight'
import { CircleHalf } from '@phosphor-icons/react/dist/csr/CircleHalf'
import { Power } from '@phosphor-icons/react/dist/csr/Power'
import { memo, useEffect, useRef, useState } from 'react'
import type { Light, Setup, Warmth } from '../api.gen'
import { readNumber, stopsText } from '../fields/number'
import { toggleAlone, useLook } from '../picture/look'
import { cssColour, finest, gains, gives, isOff, linear, type Gives } from '../setup/sums'
import { entries, useSetup } from '../setup/store'
import { deeds } from './deeds'
import { LightGlyph } from './glyph'
import { OpenLight } from './OpenLight'

const percent = (v: number | undefined) => (v === undefined ? '' : v === 0 ? '0%' : v < 0.001 ? '<0.1%' : v < 0.0995 ? `${(100 * v).toFixed(1)}%` : `${Math.round(100 * v)}%`)
const ms = (v: number | undefined) => (v === undefined ? '' : v.toFixed(2))

/** Ledger is the one list of lights: what each gives here and what it costs on the target. */
export function Ledger({ warmth }: { warmth: Warmth }) {
  const doc = useSetup((s) => s.doc)
  const lamps = useSetup((s) => s.lamps)
  const view = useSetup((s) => s.view)
  const frames = useSetup((s) => s.frames[s.view])
  const figures = useSetup((s) => s.figures[s.view])
  const alone = useLook((s) => s.alone)
  const [closed, setClosed] = useState<ReadonlySet<string>>(new Set())
  const list = useRef<HTMLDivElement>(null)
  if (!doc) return <section className="ledger" aria-label="Ledger" />
  const frame = finest(frames, lamps) ?? frames?.[3]
  const g = gives(frame, lamps, gains(doc, lamps, warmth, alone))
  const costs = figures?.budget.lights ?? {}
  const groups: [string, { name: string; trim: number; off: boolean }][] = entries(doc.groups)
  const loose = entries(doc.lights).filter(([, l]) => !doc.groups[l.group])
  const inGroup = (id: string) => entries(doc.lights).filter(([, l]) => l.group === id)
  const most = Math.max(0.01, ...Object.values(g).map((x) => x.share))
  const sum = (ids: string[], f: (id: string) => number) => ids.reduce((a, i) => a + f(i), 0)

  const keys = (e: React.KeyboardEvent) => {
    if (e.key !== 'ArrowDown' && e.key !== 'ArrowUp') return
    const rows = [...(list.current?.querySelectorAll<HTMLElement>('[data-row]') ?? [])]
    const at = rows.findIndex((r) => r === document.activeElement)
    const next = rows[Math.min(Math.max(at + (e.key === 'ArrowDown' ? 1 : -1), 0), rows.length - 1)]
    if (at < 0 || !next) return
    next.focus()
    e.preventDefault()
  }

  const row = ([id, l]: [string, Light]) => (
    <Row key={id} id={id} l={l} doc={doc} warmth={warmth} off={isOff(doc, l)} gives={g[id]} most={most} costs={costs[id]?.ms} alone={alone.has(id)} hushed={alone.size > 0 && !alone.has(id)} view={view} />
  )
  return (
    <section className="ledger" aria-label="Ledger" onKeyDown={keys}>
      <div className="row head">
        <span />
        <span>Ledger · {Object.keys(doc.lights).length} lights</span>
        <span>stops</span>
        <span />
        <span>gives here</span>
        <span className="right">costs</span>
        <span />
        <span className="right">carry</span>
      </div>
      <div className="rows" ref={list}>
        {groups.map(([id, group]) => {
          const members = inGroup(id)
          const ids = members.map(([i]) => i)
          const open = !closed.has(id)
          return (
            <div key={id} role="group" aria-label={group.name}>
              <GroupRow
                id={id}
                doc={doc}
                open={open}
                toggle={() => setClosed((c) => new Set(c.has(id) ? [...c].filter((x) => x !== id) : [...c, id]))}
                share={sum(ids, (i) => g[i]?.share ?? 0)}
                costs={sum(ids, (i) => costs[i]?.ms ?? 0)}
                alone={ids.length > 0 && ids.every((i) => alone.has(i))}
                members={ids}
              />
              {open && members.map(row)}
            </div>
          )
        })}
        {loose.map(row)}
      </div>
    </section>
  )
}

/** A name that is edited in place: a double click or F2. */
function Name({ value, done, label }: { value: string; done: (v: string) => void; label: string }) {
  const [text, setText] = useState<string | null>(null)
  const box = useRef<HTMLSpanElement>(null)
  useEffect(() => {
    const row = box.current?.closest<HTMLElement>('[data-row]')
    const f2 = (e: KeyboardEvent) => e.key === 'F2' && e.target === row && setText(value)
    row?.addEventListener('keydown', f2)
    return () => row?.removeEventListener('keydown', f2)
  }, [value])
  return (
    <span ref={box} className="name" title={value} onDoubleClick={() => setText(value)}>
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
  )
}

/** Stops is a slider round nought and its number. */
function Stops({ name, value, change }: { name: string; value: number; change: (v: number, done: boolean) => void }) {
  const [text, setText] = useState<string | null>(null)
  const [held, setHeld] = useState(false)
  return (
    <>
      <Slider
        className="stops"
        size="small"
        track={false}
        marks={[{ value: 0 }]}
        min={-4}
        max={4}
        step={held ? 0.01 : 0.1}
        value={Math.min(Math.max(value, -4), 4)}
        getAriaLabel={() => `${name} stops`}
        getAriaValueText={(v) => `${stopsText(v)} stops`}
        onKeyDown={(e) => setHeld(e.shiftKey)}
        onChange={(e, v) => change(v as number, e.type === 'keydown')}
        onChangeCommitted={(e, v) => e.type !== 'keyup' && e.type !== 'keydown' && change(v as number, true)}
        onDoubleClick={() => change(0, true)}
      />
      <input
        className="stops-text"
        aria-label={`${name} stops, number`}
        value={text ?? stopsText(value)}
        onFocus={(e) => {
          setText(stopsText(value))
          e.target.select()
        }}
        onChange={(e) => setText(e.target.value)}
        onBlur={() => setText(null)}
        onKeyDown={(e) => {
          e.stopPropagation()
          if (e.key === 'Escape') e.currentTarget.blur()
          if (e.key !== 'Enter' || text === null) return
          // A sign alone writes the value; two, or a star or a slash, change it.
          const r = readNumber(/^[+]/.test(text.trim()) ? text.trim().slice(1) : text, value)
          if (r) change(r.stops !== undefined ? value + r.stops : r.value, true)
          e.currentTarget.blur()
        }}
      />
    </>
  )
}

interface RowProps {
  id: string
  l: Light
  doc: Setup
  warmth: Warmth
  off: boolean
  gives: Gives | undefined
  most: number
  costs: number | undefined
  alone: boolean
  hushed: boolean
  view: string
}

const Row = memo(function Row({ id, l, warmth, off, gives, most, costs, alone, hushed }: RowProps) {
  const open = useLook((s) => s.open === id)
  const chosen = useLook((s) => s.chosen === id)
  const colour = cssColour(linear(warmth, l.colour))
  const toggle = () => useLook.setState({ open: open ? null : id, chosen: id })
  return (
    <>
      <div
        className={`row light${chosen ? ' chosen' : ''}${off && !alone ? ' is-off' : ''}${hushed ? ' hushed' : ''}`}
        data-row
        data-light={id}
        tabIndex={0}
        aria-label={`${l.name}, ${stopsText(l.stops)} stops, gives ${percent(gives?.share)}, costs ${ms(costs)} milliseconds, ${l.carry}${off ? ', off' : ''}`}
        aria-expanded={open}
        onFocus={() => useLook.setState({ chosen: id })}
        onClick={(e) => (e.target as HTMLElement).closest('.name') && toggle()}
        onKeyDown={(e) => {
          if (e.target !== e.currentTarget) return
          const step = e.shiftKey ? 0.1 : 1 / 3
          if (e.key === 'ArrowRight') deeds.stops(id, l, l.stops + step)
          else if (e.key === 'ArrowLeft') deeds.stops(id, l, l.stops - step)
          else if (e.key === 'Enter') toggle()
          else if (e.key === 'o') deeds.off(id, l)
          else if (e.key === 'a') toggleAlone([id], e.shiftKey)
          else if (e.key === '0') deeds.stops(id, l, 0)
          else return
          e.preventDefault()
          e.stopPropagation()
        }}
      >
        <LightGlyph kind={l.kind} colour={colour} off={off && !alone} />
        <Name value={l.name} label={`Name of ${l.name}`} done={(n) => deeds.rename(id, l, n)} />
        <Stops name={l.name} value={l.stops} change={(v, done) => deeds.stops(id, l, v, done)} />
        <Tooltip title={gives ? `direct ${percent(gives.direct)}, bounced ${percent(gives.bounced)} of the light in this view` : ''} placement="left">
          <span className="gives">
            <span className="bar" style={{ width: `${Math.max(((gives?.share ?? 0) / most) * 30, gives?.share ? 1 : 0)}px`, background: colour }} />
            <span className="share" data-testid={`gives-${id}`}>
              {percent(gives?.share)}
            </span>
          </span>
        </Tooltip>
        <span className="costs">{ms(costs)}</span>
        <span className="acts">
          <button type="button" aria-label={`${l.name} off`} aria-pressed={l.off} title={l.off ? 'Turn on (O)' : 'Turn off (O)'} onClick={() => deeds.off(id, l)}>
            <Power size={13} />
          </button>
          <button type="button" aria-label={`${l.name} alone`} aria-pressed={alone} title="Alone (A); with Shift, together with others" onClick={(e) => toggleAlone([id], e.shiftKey)}>
            <CircleHalf size={13} weight={alone ? 'fill' : 'regular'} />
          </button>
        </span>
        <span className="carry">{l.carry}</span>
      </div>
      {open && <OpenLight id={id} l={l} warmth={warmth} />}
    </>
  )
})

function GroupRow({ id, doc, open, toggle, share, costs, alone, members }: { id: string; doc: Setup; open: boolean; toggle: () => void; share: number; costs: number; alone: boolean; members: string[] }) {
  const g = doc.groups[id]
  if (!g) return null
  return (
    <div
      className={`row group${g.off ? ' is-off' : ''}`}
      data-row
      tabIndex={0}
      aria-label={`Group ${g.name}, trim ${stopsText(g.trim)} stops, gives ${percent(share)}`}
      aria-expanded={open}
      onKeyDown={(e) => {
        if (e.target !== e.currentTarget) return
        const step = e.shiftKey ? 0.1 : 1 / 3
        if (e.key === 'ArrowRight') deeds.trim(id, doc, g.trim + step)
        else if (e.key === 'ArrowLeft') deeds.trim(id, doc, g.trim - step)
        else if (e.key === 'Enter') toggle()
        else if (e.key === 'o') deeds.groupOff(id, doc)
        else if (e.key === 'a') toggleAlone(members, e.shiftKey)
        else return
        e.preventDefault()
        e.stopPropagation()
      }}
    >
      <button type="button" className="fold" aria-label={open ? `Fold ${g.name}` : `Unfold ${g.name}`} onClick={toggle}>
        {open ? <CaretDown size={12} weight="fill" /> : <CaretRight size={12} weight="fill" />}
      </button>
      <Name value={g.name} label={`Name of ${g.name}`} done={(n) => deeds.renameGroup(id, doc, n)} />
      <Stops name={`${g.name} trim`} value={g.trim} change={(v, done) => deeds.trim(id, doc, v, done)} />
      <span className="gives">
        <span className="bar" />
        <span className="share">{percent(share)}</span>
      </span>
      <span className="costs">{ms(costs)}</span>
      <span className="acts">
        <button type="button" aria-label={`${g.name} off`} aria-pressed={g.off} title="Turn the group off or on (O)" onClick={() => deeds.groupOff(id, doc)}>
          <Power size={13} />
        </button>
        <button type="button" aria-label={`${g.name} alone`} aria-pressed={alone} title="This group alone (A)" onClick={(e) => toggleAlone(members, e.shiftKey)}>
          <CircleHalf size={13} weight={alone ? 'fill' : 'regular'} />
        </button>
      </span>
      <span />
    </div>
  )
}
