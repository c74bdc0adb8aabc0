import { IconButton } from '@mui/material'
import { ArrowUUpLeft } from '@phosphor-icons/react/dist/csr/ArrowUUpLeft'
import { ArrowUUpRight } from '@phosphor-icons/react/dist/csr/ArrowUUpRight'
import { ClockCounterClockwise } from '@phosphor-icons/react/dist/csr/ClockCounterClockwise'
import { Columns } from '@phosphor-icons/react/dist/csr/Columns'
import { Crosshair } from '@phosphor-icons/react/dist/csr/Crosshair'
import { GridNine } from '@phosphor-icons/react/dist/csr/GridNine'
import { Question } from '@phosphor-icons/react/dist/csr/Question'
import { Strategy } from '@phosphor-icons/react/dist/csr/Strategy'
import { Warning } from '@phosphor-icons/react/dist/csr/Warning'
import { called, setCalled } from '../net/client'
import { sayName } from '../net/live'
import { useLook } from '../picture/look'
import { undo, useSetup } from '../setup/store'
import { useSnags } from '../snags/useSnags'
import { askFor } from './Ask'
import { openPanel, panelNames, usePanel, type PanelName } from './panels'
import { Tip } from '../ui/Tip'

/** People says who else is here, and lets this person choose a name. */
function People() {
  const people = useSetup((s) => s.people)
  const windows = useSetup((s) => s.windows)
  const you = useSetup((s) => s.you)
  const others = Object.entries(people).filter(([id]) => id !== you)
  const rename = () => {
    askFor('What shall the others call you?', called(), (name) => {
      setCalled(name.slice(0, 60))
      sayName()
    })
  }
  return (
    <Tip title="Choose your name">
      <button type="button" className="people" onClick={rename}>
        {people[you] ?? called()}
        {others.length > 0 ? ` with ${others.map(([, n]) => n || 'somebody').join(', ')}` : windows > 1 ? `, ${windows} windows` : ''}
      </button>
    </Tip>
  )
}

const panels: { panel: PanelName; keys: string; icon: React.ReactNode }[] = [
  { panel: 'plot', keys: 'Shift L', icon: <Crosshair size={17} /> },
  { panel: 'rigs', keys: 'Shift R', icon: <Strategy size={17} /> },
  { panel: 'channels', keys: 'Shift Y', icon: <GridNine size={17} /> },
  { panel: 'snapshots', keys: 'Shift C', icon: <Columns size={17} /> },
  { panel: 'history', keys: 'Y', icon: <ClockCounterClockwise size={17} /> },
]

function PanelButton({ panel, keys, icon, more = '' }: { panel: PanelName; keys: string; icon: React.ReactNode; more?: string }) {
  const open = usePanel((s) => s.panel === panel)
  return (
    <Tip title={`${panelNames[panel]}${more ? `: ${more}` : ''} (${keys})`}>
      <IconButton aria-label={`${panelNames[panel]}${more ? `, ${more}` : ''}`} aria-pressed={open} onClick={() => openPanel(panel)}>
        {icon}
        {more && <span className="many-of">{more}</span>}
      </IconButton>
    </Tip>
  )
}

/** TopBar names the setup, takes edits back, finds, and opens panels. */
export function TopBar() {
  const project = useSetup((s) => s.project)
  const name = useSetup((s) => s.doc?.name)
  const undoLabel = useSetup((s) => s.undoLabel)
  const redoLabel = useSetup((s) => s.redoLabel)
  const setups = usePanel((s) => s.panel === 'setups')
  const snags = useSnags().data?.snags.length
  return (
    <header className="top">
      <img src="/mark.svg" alt="Willowherb" width={16} height={16} />
      <Tip title="All setups (Shift U)">
        <button type="button" className="crumbs" aria-pressed={setups} onClick={() => openPanel('setups')}>
          {project}
          {name && name !== project ? (
            <>
              {' / '}
              <b>{name}</b>
            </>
          ) : null}
        </button>
      </Tip>
      <span className="grow" />
      <Tip title={undoLabel ? `Undo “${undoLabel}” (Ctrl Z)` : 'Nothing to undo'}>
        <span>
          <button type="button" className="undo" data-testid="undo" aria-label={undoLabel ? `Undo ${undoLabel}` : 'Nothing to undo'} disabled={!undoLabel} onClick={() => undo()}>
            <ArrowUUpLeft size={17} />
            <span>{undoLabel || 'Nothing to undo'}</span>
          </button>
        </span>
      </Tip>
      <Tip title={redoLabel ? `Redo “${redoLabel}” (Ctrl Shift Z)` : 'Nothing to redo'}>
        <span>
          <IconButton aria-label={redoLabel ? `Redo ${redoLabel}` : 'Nothing to redo'} disabled={!redoLabel} onClick={() => undo(true)}>
            <ArrowUUpRight size={17} />
          </IconButton>
        </span>
      </Tip>
      <button type="button" className="find-box" onClick={() => useLook.setState({ finder: true })}>
        <span>Find a command …</span>
        <kbd>/</kbd>
      </button>
      {panels.map((p) => (
        <PanelButton key={p.panel} {...p} />
      ))}
      <PanelButton panel="snags" keys="Shift S" icon={<Warning size={17} />} more={snags ? String(snags) : ''} />
      <People />
      <Tip title="All keys (?)">
        <IconButton aria-label="All keys" onClick={() => useLook.setState({ sheet: true })}>
          <Question size={17} />
        </IconButton>
      </Tip>
    </header>
  )
}
