import { useQuery } from '@tanstack/react-query'
import { lazy, Suspense, useEffect, useState } from 'react'
import type { Warmth } from '../api.gen'
import { addressed, atProjects } from '../kernel/address'
import { api } from '../kernel/client'
import { connect } from '../kernel/live'
import { steps, type Slot } from '../kernel/feature'
import { useLook } from '../kernel/look'
import { followThrough } from '../picture/through'
import { Picture } from '../picture/Picture'
import { fetchThings } from '../kernel/things'
import { blank, complain, release, say, useSetup } from '../kernel/store'
import { weighHere } from '../picture/weighing'
import { runKey } from './commands'
import { Below } from './Below'
import { Dock } from './Dock'
import { Import } from '../features/setups/Import'
import { panelOf, usePanel } from '../kernel/panels'
import { usePanes } from '../kernel/panes'
import { useQuestion } from '../ui/askFor'
import { Splitter } from '../ui/Splitter'
import { Round } from './Round'
import { shareLook } from '../kernel/siblings'
import { TopBar } from './TopBar'
import { Safe } from '../ui/Safe'
import { Slots } from './Slots'
import { useWide } from './useWide'

const Ask = lazy(() => import('../ui/Ask').then((m) => ({ default: m.Ask })))
const Snackbar = lazy(() => import('@mui/material/Snackbar'))
const Trouble = lazy(() => import('./Trouble'))
const Finder = lazy(() => import('./Finder').then((m) => ({ default: m.Finder })))
const Sheet = lazy(() => import('./Finder').then((m) => ({ default: m.Sheet })))
const Projects = lazy(() => import('../features/setups/Projects').then((m) => ({ default: m.Projects })))

/** The panel that this window is for, where it has one of its own. */
const ownPanel = panelOf(location.search)

/** Width of the Ledger as a slim strip beside the picture. */
const stripWidth = 196

export function App() {
  const [id, setID] = useState(addressed)
  const [projects, setProjects] = useState(atProjects)
  const setups = useQuery({ queryKey: ['setups'], queryFn: api.setups, enabled: id === 0 })
  const warmth = useQuery({ queryKey: ['warmth'], queryFn: api.warmth })

  // The demo, where there is one; else what was imported last.
  const inUse = setups.data?.filter((s) => !s.archived && !s.removed) ?? []
  const first = (inUse.find((s) => s.demo) ?? inUse[0] ?? setups.data?.find((s) => !s.removed))?.id
  const none = id === 0 && setups.data !== undefined && first === undefined
  const open = projects ? 0 : id || first || 0
  useEffect(() => {
    if (!open) return
    const end = connect(open, ownPanel !== null)
    const apart = shareLook(open, ownPanel !== null)
    return () => {
      end()
      apart()
    }
  }, [open])

  useKeys()
  const setupID = useSetup((s) => s.id)
  // What the place consists of changes with its file, and with sweeps put into it.
  const consists = useSetup((s) => `${s.confirmed?.place?.blob ?? ''} ${Object.keys(s.confirmed?.backdrops ?? {}).join()} ${JSON.stringify(s.confirmed?.objects ?? {})} ${s.confirmed?.time ?? 0}`)
  useEffect(() => {
    if (setupID !== null) void fetchThings(setupID)
  }, [setupID, consists])

  const show = (next: number) => {
    release()
    useSetup.setState(blank)
    useLook.setState({ alone: new Set(), open: new Set(), chosen: null, picked: new Set(), objects: [], histogram: [], camera: null, moving: false, preview: null, back: [], forth: [], hidden: [], cut: 0, pins: [], weighs: false, through: null, walking: false, way: 'picture' })
    setID(next)
    setProjects(atProjects())
  }
  const go = (next: number) => {
    history.pushState(null, '', `/s/${next}`)
    show(next)
  }
  useEffect(() => {
    const back = () => show(addressed())
    window.addEventListener('popstate', back)
    return () => window.removeEventListener('popstate', back)
  }, [])

  if (ownPanel) return <OwnWindow panel={ownPanel} warmth={warmth.data} />
  if (projects || none) {
    return (
      <>
        <Suspense fallback={null}>
          <Projects go={go} />
        </Suspense>
        <Import done={go} />
        <Told />
      </>
    )
  }
  return <Frame warmth={warmth.data} go={go} />
}

/** OwnWindow is a panel in a browser window of its own. */
function OwnWindow({ panel, warmth }: { panel: string; warmth: Warmth | undefined }) {
  return (
    <div className="own-window">
      <Dock panel={panel} warmth={warmth} alone />
      <Told />
      <Opened />
    </div>
  )
}

/** Opened is what opens over the frame when it is asked for, and is fetched then. */
function Opened() {
  const sheet = useLook((s) => s.sheet)
  const finder = useLook((s) => s.finder)
  const asks = useQuestion((s) => s.question !== null)
  return (
    <Suspense fallback={null}>
      {sheet && <Sheet />}
      {finder && <Finder />}
      {asks && <Ask />}
    </Suspense>
  )
}

/** Frame is the bench: the picture, what stands round it, and what opens over it. */
function Frame({ warmth, go }: { warmth: Warmth | undefined; go: (id: number) => void }) {
  const beside = usePanes((s) => s.beside)
  const name = useSetup((s) => s.doc?.name)
  const panel = usePanel((s) => s.panel)
  const side = usePanes((s) => s.side)
  const dock = usePanes((s) => s.dock)
  const column = usePanes((s) => s.column)
  const wide = useWide()
  const light = useLook((s) => s.light)
  const at = (slot: Slot) => warmth && <Slots of={slot} warmth={warmth} />
  const column3 = panel !== null && wide && beside === 'frame'
  return (
    <div className={`app beside-${beside}`} style={{ '--side': `${beside === 'frame' ? side : beside === 'strip' ? stripWidth : 0}px`, '--dock': `${dock}px`, '--column': `${column3 ? column : 0}px` } as React.CSSProperties}>
      <TopBar warmth={warmth} />
      <Round />
      <main className={light ? 'light' : ''}>
        <h1 className="unseen">{name === undefined ? 'Willowherb' : `${name}: the picture`}</h1>
        {at('shelf')}
        <div className="view-line">
          {at('over')}
          <span className="grow" />
          {at('overRight')}
        </div>
        <div className="stage">
          {at('beside')}
          <Safe of="The picture">{warmth ? <Picture warmth={warmth} /> : <div className="picture-box" />}</Safe>
        </div>
        <div className="view-line under">{at('under')}</div>
        {warmth ? <Below warmth={warmth} /> : null}
      </main>
      {column3 && (
        <aside className="column" aria-label="Open panel">
          <Splitter which="column" />
          <Dock panel={panel} warmth={warmth} />
        </aside>
      )}
      {beside !== 'nothing' && <RightSide warmth={warmth} docked={panel !== null && !wide && beside === 'frame' ? panel : null} />}
      {at('bottom')}
      <Import done={go} />
      <Told />
      <Opened />
    </div>
  )
}

/** RightSide is what the step works with, and under it the open panel. */
function RightSide({ warmth, docked }: { warmth: Warmth | undefined; docked: string | null }) {
  const step = usePanes((s) => s.step)
  const beside = usePanes((s) => s.beside)
  const Side = (steps().find((s) => s.id === (beside === 'strip' ? 'light' : step)) ?? steps().find((s) => s.id === 'light'))?.side
  return (
    <aside className="side" aria-label="Right side">
      {beside === 'frame' && <Splitter which="side" />}
      {Side && (
        <Safe key={step} of="This side">
          <Side warmth={warmth} slim={beside === 'strip'} />
        </Safe>
      )}
      {docked && (
        <div className="dock">
          <Splitter which="dock" />
          <Dock panel={docked} warmth={warmth} />
        </div>
      )}
    </aside>
  )
}

/** Told is what the server and the edits have to say. */
function Told() {
  const there = useSetup((s) => s.doc !== null)
  const connected = useSetup((s) => s.connected)
  const away = useSetup((s) => s.away)
  const pending = useSetup((s) => s.pending.length)
  const said = useSetup((s) => s.said)
  const trouble = useSetup((s) => s.trouble)
  return (
    <>
      {(!connected || away) && there && (
        <div className="lost" role="status">
          {connected ? 'The database is away; the server waits for it.' : 'Not connected to Willowherb.'} {pending > 0 ? `${pending} edit${pending > 1 ? 's wait' : ' waits'} here and will be kept when it is back.` : 'Trying again.'}
        </div>
      )}
      <Suspense fallback={null}>
        {said !== '' && <Snackbar open autoHideDuration={4000} onClose={() => say('')} message={said} anchorOrigin={{ vertical: 'bottom', horizontal: 'center' }} />}
        {trouble && <Trouble said={trouble} close={() => complain(null)} />}
      </Suspense>
    </>
  )
}

/** typing tells the fields that keys belong to. */
const typing = (t: HTMLElement) => (t.tagName === 'INPUT' && !['range', 'checkbox', 'color'].includes((t as HTMLInputElement).type)) || t.tagName === 'TEXTAREA' || t.tagName === 'SELECT' || t.isContentEditable

function useKeys() {
  useEffect(() => {
    const down = (e: KeyboardEvent) => {
      if (typing(e.target as HTMLElement) || e.altKey || e.defaultPrevented || document.querySelector('[role=dialog], [role=menu]')) return
      if (e.key.toLowerCase() === 'q' && !e.ctrlKey && !e.metaKey) {
        if (!e.repeat) void weighHere()
        return
      }
      runKey(e)
    }
    const up = (e: KeyboardEvent) => e.key.toLowerCase() === 'q' && !useLook.getState().weighs && useLook.setState({ weighing: null })
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
