import { ButtonBase } from '@mui/material'
import { CaretDown } from '@phosphor-icons/react/dist/csr/CaretDown'
import { CaretRight } from '@phosphor-icons/react/dist/csr/CaretRight'
import { CircleHalf } from '@phosphor-icons/react/dist/csr/CircleHalf'
import { Palette } from '@phosphor-icons/react/dist/csr/Palette'
import { Power } from '@phosphor-icons/react/dist/csr/Power'
import { memo, useState } from 'react'
import type { Group, Setup } from '../../api.gen'
import { stopsText } from '../../kernel/number'
import { NumberField } from '../../ui/NumberField'
import { chooseAll, toggleAlone, useLook } from '../../kernel/look'
import { useSetup } from '../../kernel/store'
import { Tip } from '../../ui/Tip'
import { lightEdits } from '../../kernel/lightEdits'
import { GroupCell } from './cells'
import { Lock, Name } from './Name'
import { Stops } from './Stops'

interface GroupProps {
  current: boolean
  id: string
  at: number
  depth: number
  grid: React.CSSProperties
  shown: { id: string }[]
  open: boolean
  fold: (id: string) => void
  alone: boolean
  /** Ids of its lights, with spaces between: a list would be another each time. */
  members: string
}

/** GroupRow is a group of lights in the Ledger: its trim, and what its lights give and cost together. */
export const GroupRow = memo(function GroupRow({ current, id, at, depth, grid, shown, open, fold, alone, members: list }: GroupProps) {
  const g = useSetup((s) => s.doc?.groups[id])
  const members = list ? list.split(' ') : []
  const toggle = () => fold(id)
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
        aria-label={`Group ${g.name}, trim ${stopsText(g.trim)} stops`}
        aria-expanded={open}
        onClick={(e) => (e.target as HTMLElement).closest('.indent') && !(e.target as HTMLElement).closest('button, input') && (e.ctrlKey || e.shiftKey || e.detail === 1) && chooseAll(members)}
        onKeyDown={(e) => groupKeys(e, id, g.trim, members, toggle)}
      >
        <span role="gridcell">
          <ButtonBase className="fold" tabIndex={current ? 0 : -1} aria-label={open ? `Fold ${g.name}` : `Unfold ${g.name}`} onClick={toggle}>
            {open ? <CaretDown size={12} weight="fill" /> : <CaretRight size={12} weight="fill" />}
          </ButtonBase>
        </span>
        <span className="indent" role="gridcell" style={{ paddingLeft: depth * 10 }}>
          <Name value={g.name} label={`Name of ${g.name}`} drag={`group:${id}`} done={(n) => lightEdits.renameGroup(id, docNow(), n)} />
          <Lock current={current} name={g.name} locked={Boolean(g.locked)} toggle={() => lightEdits.lockGroup(id, docNow())} />
          <Tip title="Warmth and hue of all in it">
            <ButtonBase className={`lock${g.hue || g.mired ? '' : ' open'}`} tabIndex={current ? 0 : -1} aria-label={`${g.name} shift`} aria-pressed={shifting} onClick={(e) => {
                e.stopPropagation()
                setShifting(!shifting)
              }}>
              <Palette size={13} weight={g.hue || g.mired ? 'fill' : 'regular'} />
            </ButtonBase>
          </Tip>
        </span>
        <Stops current={current} name={`${g.name} trim`} value={g.trim} locked={Boolean(g.locked)} change={(v, done) => lightEdits.trim(id, docNow(), v, done)} />
        {shown.map((c) => (
          <GroupCell key={c.id} id={id} of={c.id} />
        ))}
        <Acts current={current} id={id} g={g} alone={alone} members={members} />
      </div>
      {shifting && <Shift id={id} g={g} depth={depth} />}
    </>
  )
})

const docNow = () => useSetup.getState().doc as Setup

/** groupKeys are the keys of a group's row. */
function groupKeys(e: React.KeyboardEvent, id: string, trim: number, members: string[], toggle: () => void) {
  if (e.target !== e.currentTarget || e.ctrlKey || e.metaKey || useLook.getState().walking) return
  const step = e.shiftKey ? 0.1 : 1 / 3
  if (e.key === 'ArrowRight') lightEdits.trim(id, docNow(), trim + step, 'held')
  else if (e.key === 'ArrowLeft') lightEdits.trim(id, docNow(), trim - step, 'held')
  else if (e.key === 'Enter') toggle()
  else if (e.key === 'o') lightEdits.groupOff(id, docNow())
  else if (e.key === 'k') lightEdits.lockGroup(id, docNow())
  else if (e.key === 'a' || e.key === 'A') toggleAlone(members, e.shiftKey)
  else if (e.key === 'Delete') lightEdits.ungroup(id)
  else return
  e.preventDefault()
  e.stopPropagation()
}

/** Acts turn a group off, or show it alone. */
function Acts({ current, id, g, alone, members }: { current: boolean; id: string; g: Group; alone: boolean; members: string[] }) {
  return (
    <span className="acts" role="gridcell">
      <Tip title="Turn the group off or on (O)">
        <ButtonBase tabIndex={current ? 0 : -1} aria-label={`${g.name} off`} aria-pressed={g.off} onClick={() => lightEdits.groupOff(id, docNow())}>
          <Power size={13} />
        </ButtonBase>
      </Tip>
      <Tip title="This group alone (A)">
        <ButtonBase tabIndex={current ? 0 : -1} aria-label={`${g.name} alone`} aria-pressed={alone} onClick={(e) => toggleAlone(members, e.shiftKey)}>
          <CircleHalf size={13} weight={alone ? 'fill' : 'regular'} />
        </ButtonBase>
      </Tip>
    </span>
  )
}

/** Shift is by how much all lights of a group are warmer, and turned in hue. */
function Shift({ id, g, depth }: { id: string; g: Group; depth: number }) {
  const field = (what: 'mired' | 'hue', label: string, unit: string, most: number, step: number) => (
    <>
      <span className="label">{label}</span>
      <NumberField label={`${g.name} ${label.toLowerCase()}`} value={g[what] ?? 0} unit={unit} min={-most} max={most} step={step} onDraft={(v) => lightEdits.groupShift(id, docNow(), what, v, false)} onDone={(v) => lightEdits.groupShift(id, docNow(), what, v)} onReset={() => lightEdits.groupShift(id, docNow(), what, 0)} />
    </>
  )
  return (
    <div role="row" aria-level={depth + 2}>
      <div role="gridcell" className="group-shift">
        {field('mired', 'Warmth', 'mired', 500, 5)}
        {field('hue', 'Hue', '°', 180, 2)}
      </div>
    </div>
  )
}
