import { ButtonBase, IconButton } from '@mui/material'
import { ArrowUUpLeft } from '@phosphor-icons/react/dist/csr/ArrowUUpLeft'
import { ArrowUUpRight } from '@phosphor-icons/react/dist/csr/ArrowUUpRight'
import { Question } from '@phosphor-icons/react/dist/csr/Question'
import { called, setCalled } from '../kernel/client'
import { sayName } from '../kernel/live'
import { useLook } from '../kernel/look'
import { undo, useSetup } from '../kernel/store'
import { askFor } from '../ui/askFor'
import { panels, type Panel } from '../kernel/feature'
import { openPanel, usePanel } from '../kernel/panels'
import type { Warmth } from '../api.gen'
import { Slots } from './Slots'
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
      <ButtonBase className="people" onClick={rename}>
        {people[you] ?? called()}
        {others.length > 0 ? ` with ${others.map(([, n]) => n || 'somebody').join(', ')}` : windows > 1 ? `, ${windows} windows` : ''}
      </ButtonBase>
    </Tip>
  )
}

const none = () => ''

function PanelButton({ panel }: { panel: Panel }) {
  const open = usePanel((s) => s.panel === panel.id)
  const count = (panel.useCount ?? none)()
  const Icon = panel.icon
  return Icon ? (
    <Tip title={`${panel.name}${count ? `: ${count}` : ''} (${panel.keys})`}>
      <IconButton aria-label={`${panel.name}${count ? `, ${count}` : ''}`} aria-pressed={open} onClick={() => openPanel(panel.id)}>
        <Icon size={17} />
        {count && <span className="many-of">{count}</span>}
      </IconButton>
    </Tip>
  ) : null
}

/** TakeBack takes edits back, and makes them again. */
function TakeBack() {
  const undoLabel = useSetup((s) => s.undoLabel)
  const redoLabel = useSetup((s) => s.redoLabel)
  return (
    <>
      <Tip title={undoLabel ? `Undo “${undoLabel}” (Ctrl Z)` : 'Nothing to undo'}>
        <span>
          <ButtonBase className="undo" data-testid="undo" aria-label={undoLabel ? `Undo ${undoLabel}` : 'Nothing to undo'} disabled={!undoLabel} onClick={() => undo()}>
            <ArrowUUpLeft size={17} />
            <span>{undoLabel || 'Nothing to undo'}</span>
          </ButtonBase>
        </span>
      </Tip>
      <Tip title={redoLabel ? `Redo “${redoLabel}” (Ctrl Shift Z)` : 'Nothing to redo'}>
        <span>
          <IconButton aria-label={redoLabel ? `Redo ${redoLabel}` : 'Nothing to redo'} disabled={!redoLabel} onClick={() => undo(true)}>
            <ArrowUUpRight size={17} />
          </IconButton>
        </span>
      </Tip>
    </>
  )
}

/** TopBar names the setup, takes edits back, finds, and opens panels. */
export function TopBar({ warmth }: { warmth: Warmth | undefined }) {
  const project = useSetup((s) => s.project)
  const name = useSetup((s) => s.doc?.name)
  const setups = usePanel((s) => s.panel === 'setups')
  return (
    <header className="top">
      <img src="/mark.svg" alt="Willowherb" width={16} height={16} />
      <Tip title="All setups (Shift U)">
        <ButtonBase className="crumbs" aria-pressed={setups} onClick={() => openPanel('setups')}>
          {project}
          {name && name !== project ? (
            <>
              {' / '}
              <b>{name}</b>
            </>
          ) : null}
        </ButtonBase>
      </Tip>
      {warmth && <Slots of="top" warmth={warmth} />}
      <span className="grow" />
      <TakeBack />
      <ButtonBase className="find-box" onClick={() => useLook.setState({ finder: true })}>
        <span>Find a command …</span>
        <kbd>/</kbd>
      </ButtonBase>
      {panels().map((p) => (
        <PanelButton key={p.id} panel={p} />
      ))}
      <People />
      <Tip title="All keys (?)">
        <IconButton aria-label="All keys" onClick={() => useLook.setState({ sheet: true })}>
          <Question size={17} />
        </IconButton>
      </Tip>
    </header>
  )
}
