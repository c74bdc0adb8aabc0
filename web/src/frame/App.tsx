import { Dialog, DialogContent, DialogTitle, Snackbar } from '@mui/material'
import { useQuery } from '@tanstack/react-query'
import { useEffect, useRef, useState, lazy, Suspense } from 'react'
import type { Warmth } from '../api.gen'
import { Ladder } from '../ladder/Ladder'
import { Ledger } from '../ledger/Ledger'
import { api, called, setCalled } from '../net/client'
import { connect, sayName } from '../net/live'
import { useLook } from '../picture/look'
import { followThrough } from '../picture/through'
import { Picture } from '../picture/Picture'
import { fetchThings } from '../scene/things'
import { blank, complain, release, say, undo, useSetup } from '../setup/store'
import { FigureLine, PinsList, WeighPanel } from '../weigh/WeighPanel'
import { weighHere } from '../weigh/weighing'
import { SnagButton } from '../snags/useSnags'
import { Snapshots } from '../snapshots/Snapshots'
import { Splits } from '../snapshots/Splits'
import { Shelf } from '../shelf/Shelf'
import { Ask, askFor } from './Ask'
import { Budget } from './Budget'
import { runKey } from './commands'
import { Finder, Sheet } from './Finder'
import { GivesHere } from './GivesHere'
import { History } from './History'
import { Import, type Chooser } from './Import'
import { openPanel, usePanel } from './panels'
import { Splitter, usePanes } from './panes'
import { ScenePanel } from './ScenePanel'
import { SeeLine } from './SeeLine'
import { ViewLine } from './ViewLine'

const ChannelPanel = lazy(() => import('../channels/ChannelPanel'))
const PlotPanel = lazy(() => import('../plot/PlotPanel'))
const Setups = lazy(() => import('../setups/Setups'))
const RigPanel = lazy(() => import('../rigs/RigPanel'))
const SnagPanel = lazy(() => import('../snags/SnagPanel'))

/** The setup that this address names; none for the list's first. */
const addressed = () => Number(/^\/s\/(\d+)/.exec(location.pathname)?.[1] ?? 0)

export function App() {
  const [id, setID] = useState(addressed)
  const setups = useQuery({ queryKey: ['setups'], queryFn: api.setups, enabled: id === 0 })
  const targets = useQuery({ queryKey: ['targets'], queryFn: api.targets })
  const warmth = useQuery({ queryKey: ['warmth'], queryFn: api.warmth })
  const [step, setStep] = useState<'scene' | 'light'>('light')
  const chooser = useRef<Chooser>(null)
  const doc = useSetup((s) => s.doc)
  const connected = useSetup((s) => s.connected)
  const away = useSetup((s) => s.away)
  const pending = useSetup((s) => s.pending.length)
  const said = useSetup((s) => s.said)
  const trouble = useSetup((s) => s.trouble)
  const sheet = useLook((s) => s.sheet)
  const panel = usePanel((s) => s.panel)
  const side = usePanes((s) => s.side)
  const light = useLook((s) => s.light)

  const first = (setups.data?.find((s) => !s.archived && !s.removed) ?? setups.data?.find((s) => !s.removed))?.id
  const open = id || first || 0
  useEffect(() => {
    if (!open) return
    return connect(open)
  }, [open])

  useKeys()
  const setupID = useSetup((s) => s.id)
  // What the place consists of changes with its file, and with sweeps put into it.
  const consists = useSetup((s) => `${s.confirmed?.place?.blob ?? ''} ${Object.keys(s.confirmed?.backdrops ?? {}).join()} ${JSON.stringify(s.confirmed?.objects ?? {})} ${s.confirmed?.time ?? 0}`)
  useEffect(() => {
    if (setupID !== null) void fetchThings(setupID)
  }, [setupID, consists])

  const go = (next: number) => {
    history.pushState(null, '', `/s/${next}`)
    release()
    useSetup.setState(blank)
    useLook.setState({ alone: new Set(), open: null, chosen: null, picked: new Set(), objects: [], histogram: [], camera: null, moving: false, preview: null, back: [], forth: [], hidden: [], cut: 0, pins: [], through: null, walking: false, way: 'picture' })
    setID(next)
  }

  const lights = doc ? Object.values(doc.lights) : []
  const off = lights.filter((l) => l.off).length
  return (
    <div className="app" style={{ '--side': `${side}px` } as React.CSSProperties}>
      <TopBar />
      <nav className="round" aria-label="Steps of the work">
        <button type="button" className={step === 'scene' ? 'on' : ''} aria-current={step === 'scene' ? 'step' : undefined} onClick={() => setStep('scene')}>
          <b>Scene</b>
          <span>{targets.data?.find((t) => t.id === doc?.target)?.name.split(',')[0] ?? ''}</span>
        </button>
        <button type="button" className={step === 'light' ? 'on' : ''} aria-current={step === 'light' ? 'step' : undefined} onClick={() => setStep('light')}>
          <b>Light</b>
          <span>
            {lights.length}
            {off ? `, ${off} off` : ''}
          </span>
        </button>
      </nav>
      <Shelf />
      <Ladder />
      <Splitter which="side" />
      <main className={light ? 'light' : ''}>
        <ViewLine />
        {warmth.data ? <Picture warmth={warmth.data} /> : <div className="picture-box" />}
        <SeeLine />
        <Splitter which="below" />
        {warmth.data ? <Below warmth={warmth.data} /> : null}
      </main>
      {step === 'light' && warmth.data ? <Ledger warmth={warmth.data} /> : step === 'scene' ? <ScenePanel targets={targets.data ?? []} choose={() => chooser.current?.choose()} /> : <section className="ledger" />}
      {panel === 'history' && <History />}
      {panel === 'snapshots' && <Snapshots />}
      <Suspense fallback={null}>
        {panel === 'channels' && <ChannelPanel />}
        {panel === 'snags' && <SnagPanel />}
        {panel === 'rigs' && <RigPanel />}
        {panel === 'setups' && <Setups />}
        {panel === 'plot' && warmth.data && <PlotPanel warmth={warmth.data} />}
      </Suspense>
      <Budget targets={targets.data ?? []} />
      <Import ref={chooser} done={go} />
      {setups.data?.every((s) => s.removed) && id === 0 && (
        <div className="empty">
          <h1>No setup yet</h1>
          <p>Drop a GLB file here to light it, or start with scripts/demo for the pump house.</p>
        </div>
      )}
      {(!connected || away) && doc && (
        <div className="lost" role="status">
          {connected ? 'The database is away; the server waits for it.' : 'Not connected to Willowherb.'} {pending > 0 ? `${pending} edit${pending > 1 ? 's wait' : ' waits'} here and will be kept when it is back.` : 'Trying again.'}
        </div>
      )}
      <Snackbar open={said !== ''} autoHideDuration={4000} onClose={() => say('')} message={said} anchorOrigin={{ vertical: 'bottom', horizontal: 'center' }} />
      <Dialog open={trouble !== null} onClose={() => complain(null)}>
        <DialogTitle>{trouble?.what}</DialogTitle>
        <DialogContent>{trouble?.remedy}</DialogContent>
      </Dialog>
      <Dialog open={sheet} onClose={() => useLook.setState({ sheet: false })} aria-labelledby="sheet" maxWidth="lg">
        <DialogTitle id="sheet">Keys</DialogTitle>
        <DialogContent>
          <Sheet />
        </DialogContent>
      </Dialog>
      <Finder />
      <Ask />
    </div>
  )
}

/** Below is the space under the picture: what is weighed, else what lights this view. */
function Below({ warmth }: { warmth: Warmth }) {
  const doc = useSetup((s) => s.doc)
  const weighing = useLook((s) => s.weighing)
  const objects = useLook((s) => s.objects)
  const under = useLook((s) => s.under)
  if (!doc) return null
  const figure = weighing ? (under === '' ? null : Number(under)) : (objects[0] ?? null)
  return (
    <div className="below">
      <Splits />
      {figure !== null && <FigureLine object={figure} />}
      {weighing ? (
        weighing.reading ? <WeighPanel reading={weighing.reading} doc={doc} warmth={warmth} title="Weighed here" /> : <p className="quiet">weighing …</p>
      ) : (
        <>
          <PinsList doc={doc} warmth={warmth} />
          <GivesHere warmth={warmth} />
        </>
      )}
    </div>
  )
}

/** typing tells the fields that keys belong to. */
const typing = (t: HTMLElement) => (t.tagName === 'INPUT' && !['range', 'checkbox', 'color'].includes((t as HTMLInputElement).type)) || t.tagName === 'TEXTAREA' || t.isContentEditable

function useKeys() {
  useEffect(() => {
    const down = (e: KeyboardEvent) => {
      if (typing(e.target as HTMLElement) || e.altKey || e.defaultPrevented || document.querySelector('[role=dialog], [role=menu]')) return
      if (e.key.toLowerCase() === 'q' && !e.ctrlKey && !e.metaKey) {
        if (!e.repeat) void weighHere()
        return
      }
      if (runKey(e)) e.preventDefault()
    }
    const up = (e: KeyboardEvent) => e.key.toLowerCase() === 'q' && useLook.setState({ weighing: null })
    const blur = () => useLook.setState({ weighing: null })
    window.addEventListener('keydown', down)
    window.addEventListener('keyup', up)
    window.addEventListener('blur', blur)
    const end = followThrough()
    return () => {
      window.removeEventListener('keydown', down)
      window.removeEventListener('keyup', up)
      window.removeEventListener('blur', blur)
      end()
    }
  }, [])
}

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
    <button type="button" className="people" title="Click to choose your name" onClick={rename}>
      {people[you] ?? called()}
      {others.length > 0 ? ` with ${others.map(([, n]) => n || 'somebody').join(', ')}` : windows > 1 ? `, ${windows} windows` : ''}
    </button>
  )
}

function TopBar() {
  const project = useSetup((s) => s.project)
  const name = useSetup((s) => s.doc?.name)
  const undoLabel = useSetup((s) => s.undoLabel)
  const redoLabel = useSetup((s) => s.redoLabel)
  const panel = usePanel((s) => s.panel)
  return (
    <header className="top">
      <img src="/mark.svg" alt="" width={15} height={15} />
      <b className="mark-name">Willowherb</b>
      <button type="button" className="crumbs" title="All setups (Shift U)" aria-pressed={panel === 'setups'} onClick={() => openPanel('setups')}>
        {project}
        {name && name !== project ? (
          <>
            {' / '}
            <b>{name}</b>
          </>
        ) : null}
      </button>
      <span className="grow" />
      <button type="button" data-testid="undo" disabled={!undoLabel} onClick={() => undo()} title="Ctrl Z">
        {undoLabel ? `Undo “${undoLabel}”` : 'Nothing to undo'}
      </button>
      {redoLabel && (
        <button type="button" onClick={() => undo(true)} title="Ctrl Shift Z">
          Do again “{redoLabel}”
        </button>
      )}
      <People />
      <button type="button" title="Y" aria-pressed={panel === 'history'} onClick={() => openPanel('history')}>
        History
      </button>
      <button type="button" title="Shift Y" aria-pressed={panel === 'channels'} onClick={() => openPanel('channels')}>
        Who lights whom
      </button>
      <button type="button" title="Shift L" aria-pressed={panel === 'plot'} onClick={() => openPanel('plot')}>
        Plot
      </button>
      <button type="button" title="Shift R" aria-pressed={panel === 'rigs'} onClick={() => openPanel('rigs')}>
        Rigs
      </button>
      <SnagButton />
      <button type="button" title="Shift C" aria-pressed={panel === 'snapshots'} onClick={() => openPanel('snapshots')}>
        Snapshots
      </button>
      <button type="button" title="/" onClick={() => useLook.setState({ finder: true })}>
        Find
      </button>
      <button type="button" aria-label="Keys" onClick={() => useLook.setState({ sheet: true })}>
        ?
      </button>
    </header>
  )
}
