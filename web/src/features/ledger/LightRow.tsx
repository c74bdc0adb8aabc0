import { ButtonBase } from '@mui/material'
import { CircleHalf } from '@phosphor-icons/react/dist/csr/CircleHalf'
import { Power } from '@phosphor-icons/react/dist/csr/Power'
import { lazy, memo, Suspense } from 'react'
import type { Light, Warmth } from '../../api.gen'
import { stopsText, tidy } from '../../kernel/number'
import { choose, toggleAlone, useLook } from '../../kernel/look'
import { useSetup } from '../../kernel/store'
import { isOff } from '../../kernel/sums'
import { toneOf } from '../../kernel/tone'
import { unitNames, unitOf } from '../../kernel/units'
import { Tip } from '../../ui/Tip'
import { CostCell, GivesCell, NoticeCell } from './cells'
import { lightEdits, lockedLight, othersOf } from '../../kernel/lightEdits'
import { focusMoves } from './facts'
import { LightGlyph } from './glyph'
import { Lock, Name } from './Name'
import { Stops } from './Stops'

const OpenLight = lazy(() => import('./OpenLight').then((m) => ({ default: m.OpenLight })))

interface RowProps {
  /** The row that the keyboard comes to. */
  current: boolean
  id: string
  at: number
  depth: number
  grid: React.CSSProperties
  shown: { id: string }[]
  warmth: Warmth
  alone: boolean
  hushed: boolean
  pick: (id: string, e: React.MouseEvent) => void
}

/** LightRow is one light's row of the Ledger. It looks up its own light, so that another's change draws it not anew. */
export const LightRow = memo(function LightRow(p: RowProps) {
  const l = useSetup((s) => s.doc?.lights[p.id])
  const colour = useSetup((s) => (s.doc && l ? toneOf(s.doc, p.id, l, p.warmth) : ''))
  const off = useSetup((s) => Boolean(s.doc && l && isOff(s.doc, l)))
  const locked = useSetup((s) => Boolean(s.doc && l && lockedLight(s.doc, l)))
  return l ? <Row {...p} l={l} colour={colour} off={off} locked={locked} /> : null
})

function Row({ current, id, at, depth, grid, shown, l, warmth, colour, off, locked, alone, hushed, pick }: RowProps & { l: Light; colour: string; off: boolean; locked: boolean }) {
  const open = useLook((s) => s.open.has(id))
  const chosen = useLook((s) => s.picked.has(id))
  const toggle = () => toggleOpen(id)
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
          if (e.target === e.currentTarget && !focusMoves.adding && !e.currentTarget.matches(':active') && !useLook.getState().picked.has(id)) choose(id)
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
        onKeyDown={(e) => rowKeys(e, id, l, toggle)}
      >
        <span role="gridcell">
          <LightGlyph kind={l.kind} colour={colour} off={off && !alone} />
        </span>
        <span className="indent" role="gridcell" style={{ paddingLeft: depth * 10 }}>
          <Name value={l.name} label={`Name of ${l.name}`} drag={`light:${id}`} done={(n) => lightEdits.rename(id, l, n)} />
          <Lock current={current} name={l.name} locked={locked} toggle={() => lightEdits.lock([id])} />
        </span>
        <Stops current={current} name={l.name} value={l.stops} locked={locked} others={() => othersOf(id, (q) => q.stops)} change={(v, done) => lightEdits.stops(id, l, v, done)} />
        {shown.map((c) => (
          <Cell key={c.id} column={c.id} id={id} l={l} colour={colour} />
        ))}
        <Acts current={current} id={id} l={l} alone={alone} />
      </div>
      {open && (
        <div role="row" aria-level={depth + 3}>
          <div role="gridcell">
            <Suspense fallback={null}>
              <OpenLight id={id} l={l} warmth={warmth} locked={locked} />
            </Suspense>
          </div>
        </div>
      )}
    </>
  )
}

/** toggleOpen opens or closes a light, and all that are chosen with it. */
function toggleOpen(id: string) {
  if (!useLook.getState().picked.has(id)) choose(id) // what is chosen with it stays
  useLook.setState((s) => {
    const these = s.picked.has(id) ? [...s.picked] : [id]
    return { open: s.open.has(id) ? new Set([...s.open].filter((i) => !these.includes(i))) : new Set([...(these.length > 1 ? s.open : []), ...these]) }
  })
}

/** rowKeys are the keys of a light's row. While walking the arrows are the feet's. */
function rowKeys(e: React.KeyboardEvent, id: string, l: Light, toggle: () => void) {
  if (e.target !== e.currentTarget || e.ctrlKey || e.metaKey || useLook.getState().walking) return
  const step = e.shiftKey ? 0.1 : 1 / 3
  if (e.key === 'ArrowRight') lightEdits.stops(id, l, l.stops + step, 'held')
  else if (e.key === 'ArrowLeft') lightEdits.stops(id, l, l.stops - step, 'held')
  else if (e.key === 'Enter') toggle()
  else if (e.key === 'o') lightEdits.off(id, l)
  else if (e.key === 'a') toggleAlone([...useLook.getState().picked], false)
  else if (e.key === 'A') toggleAlone([id], true)
  else if (e.key === '0') lightEdits.stops(id, l, 0)
  else return
  e.preventDefault()
  e.stopPropagation()
}

/** Cell is what a column tells of a light. */
function Cell({ column, id, l, colour }: { column: string; id: string; l: Light; colour: string }) {
  switch (column) {
    case 'gives':
      return <GivesCell id={id} colour={colour} />
    case 'costs':
      return <CostCell id={id} of="ms" />
    case 'mb':
      return <CostCell id={id} of="mb" />
    case 'notice':
      return <NoticeCell id={id} />
    case 'output':
      return <span role="gridcell" className="costs">{`${tidy(l.profile && !l.profile.scaled ? l.profile.flux : l.output)} ${unitNames[unitOf(l)]}`}</span>
    case 'warmth':
      return <span role="gridcell" className="costs">{l.colour.kelvin ? `${l.colour.kelvin} K` : 'colour'}</span>
    case 'range':
      return <span role="gridcell" className="costs">{l.range > 0 ? `${tidy(l.range)} m` : ''}</span>
    case 'role':
      return <span role="gridcell" className="carry">{l.role}</span>
  }
  return <span role="gridcell" className="carry">{l.carry}</span>
}

/** Acts turn a light off, or show it alone. */
function Acts({ current, id, l, alone }: { current: boolean; id: string; l: Light; alone: boolean }) {
  return (
    <span className="acts" role="gridcell">
      <Tip title={l.off ? 'Turn on (O)' : 'Turn off (O)'}>
        <ButtonBase tabIndex={current ? 0 : -1} aria-label={`${l.name} off`} aria-pressed={l.off} onClick={() => lightEdits.off(id, l)}>
          <Power size={13} />
        </ButtonBase>
      </Tip>
      <Tip title="Alone (A); with Shift, together with others">
        <ButtonBase tabIndex={current ? 0 : -1} aria-label={`${l.name} alone`} aria-pressed={alone} onClick={(e) => toggleAlone([id], e.shiftKey)}>
          <CircleHalf size={13} weight={alone ? 'fill' : 'regular'} />
        </ButtonBase>
      </Tip>
    </span>
  )
}
