import { Dialog, DialogContent, DialogTitle, Snackbar } from '@mui/material'
import { useQuery } from '@tanstack/react-query'
import { useEffect, useRef, useState } from 'react'
import { Ladder } from '../ladder/Ladder'
import { replace } from '../ledger/deeds'
import { Ledger } from '../ledger/Ledger'
import { api } from '../net/client'
import { connect } from '../net/live'
import { useLook } from '../picture/look'
import { Picture } from '../picture/Picture'
import { evOf, finest } from '../setup/sums'
import { complain, edit, entries, say, undo, useSetup } from '../setup/store'
import { Shelf } from '../shelf/Shelf'
import { Budget } from './Budget'
import { GivesHere } from './GivesHere'
import { Import, type Chooser } from './Import'
import { ScenePanel } from './ScenePanel'

/** The setup that this address names; none for the list's first. */
const addressed = () => Number(/^\/s\/(\d+)/.exec(location.pathname)?.[1] ?? 0)

const shortcuts: [string, string][] = [
  ['↑ ↓', 'next row of the Ledger'],
  ['← →', 'a third of a stop down or up; with Shift a tenth'],
  ['0', 'stops back to nought'],
  ['O', 'off and on'],
  ['A', 'alone; with Shift together with others'],
  ['Enter', 'open the row where it stands'],
  ['F2', 'rename'],
  ['1 … 9', 'show a view'],
  ['[ ]', 'exposure a third of a stop brighter or darker'],
  ['Esc', 'all lights together again'],
  ['Ctrl Z', 'undo'],
  ['Ctrl Shift Z', 'do again'],
  ['?', 'this sheet'],
]

export function App() {
  const [id, setID] = useState(addressed)
  const setups = useQuery({ queryKey: ['setups'], queryFn: api.setups, enabled: id === 0 })
  const targets = useQuery({ queryKey: ['targets'], queryFn: api.targets })
  const warmth = useQuery({ queryKey: ['warmth'], queryFn: api.warmth })
  const [step, setStep] = useState<'scene' | 'light'>('light')
  const chooser = useRef<Chooser>(null)
  const doc = useSetup((s) => s.doc)
  const connected = useSetup((s) => s.connected)
  const pending = useSetup((s) => s.pending.length)
  const said = useSetup((s) => s.said)
  const trouble = useSetup((s) => s.trouble)
  const sheet = useLook((s) => s.sheet)

  const first = setups.data?.[0]?.id
  const open = id || first || 0
  useEffect(() => {
    if (!open) return
    return connect(open)
  }, [open])

  useKeys()

  const go = (next: number) => {
    history.pushState(null, '', `/s/${next}`)
    useSetup.setState({ id: null, doc: null, confirmed: null, revision: 0, pending: [], draft: [], frames: {}, figures: {}, view: '', lamps: {}, undoLabel: '', redoLabel: '' })
    useLook.setState({ alone: new Set(), open: null, chosen: null, histogram: [] })
    setID(next)
  }

  const lights = doc ? Object.values(doc.lights) : []
  const off = lights.filter((l) => l.off).length
  return (
    <div className="app">
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
      <main>
        <ViewLine />
        {warmth.data ? <Picture warmth={warmth.data} /> : <div className="picture-box" />}
        <SpotLine />
        {warmth.data ? <GivesHere warmth={warmth.data} /> : null}
      </main>
      {step === 'light' && warmth.data ? <Ledger warmth={warmth.data} /> : step === 'scene' ? <ScenePanel targets={targets.data ?? []} choose={() => chooser.current?.choose()} /> : <section className="ledger" />}
      <Budget targets={targets.data ?? []} />
      <Import ref={chooser} done={go} />
      {setups.data?.length === 0 && id === 0 && (
        <div className="empty">
          <h1>No setup yet</h1>
          <p>Drop a GLB file here to light it, or start with scripts/demo for the pump house.</p>
        </div>
      )}
      {!connected && doc && (
        <div className="lost" role="status">
          Not connected to Willowherb. {pending > 0 ? `${pending} edit${pending > 1 ? 's wait' : ' waits'} here and will be kept when it is back.` : 'Trying again.'}
        </div>
      )}
      <Snackbar open={said !== ''} autoHideDuration={4000} onClose={() => say('')} message={said} anchorOrigin={{ vertical: 'bottom', horizontal: 'center' }} />
      <Dialog open={trouble !== null} onClose={() => complain(null)}>
        <DialogTitle>{trouble?.what}</DialogTitle>
        <DialogContent>{trouble?.remedy}</DialogContent>
      </Dialog>
      <Dialog open={sheet} onClose={() => useLook.setState({ sheet: false })} aria-labelledby="sheet">
        <DialogTitle id="sheet">Keys</DialogTitle>
        <DialogContent>
          <dl className="keys">
            {shortcuts.map(([k, what]) => (
              <div key={k}>
                <dt>{k}</dt>
                <dd>{what}</dd>
              </div>
            ))}
          </dl>
        </DialogContent>
      </Dialog>
    </div>
  )
}

function useKeys() {
  useEffect(() => {
    const down = (e: KeyboardEvent) => {
      const t = e.target as HTMLElement
      const typing = t.tagName === 'INPUT' && (t as HTMLInputElement).type !== 'range'
      if ((e.ctrlKey || e.metaKey) && e.key.toLowerCase() === 'z' && !typing) {
        e.preventDefault()
        undo(e.shiftKey)
        return
      }
      if (typing || e.ctrlKey || e.metaKey || e.altKey) return
      const s = useSetup.getState()
      if (e.key === '?') useLook.setState((l) => ({ sheet: !l.sheet }))
      else if (e.key === 'Escape') useLook.setState({ alone: new Set() })
      else if (/^[1-9]$/.test(e.key) && s.doc) {
        const v = entries(s.doc.views)[Number(e.key) - 1]
        if (v) useSetup.setState({ view: v[0] })
      } else if ((e.key === '[' || e.key === ']') && s.doc?.views[s.view]) {
        const v = s.doc.views[s.view]
        if (!v) return
        const ev = Math.round((v.ev + (e.key === ']' ? 1 : -1) / 3) * 100) / 100
        edit(`${v.name} exposure EV ${ev.toFixed(1)}`, [replace(`/views/${s.view}/ev`, ev)])
      }
    }
    window.addEventListener('keydown', down)
    return () => window.removeEventListener('keydown', down)
  }, [])
}

function TopBar() {
  const project = useSetup((s) => s.project)
  const name = useSetup((s) => s.doc?.name)
  const undoLabel = useSetup((s) => s.undoLabel)
  const redoLabel = useSetup((s) => s.redoLabel)
  return (
    <header className="top">
      <img src="/mark.svg" alt="" width={15} height={15} />
      <b className="mark-name">Willowherb</b>
      <span className="crumbs">
        {project}
        {name && name !== project ? (
          <>
            {' / '}
            <b>{name}</b>
          </>
        ) : null}
      </span>
      <span className="grow" />
      <button type="button" disabled={!undoLabel} onClick={() => undo()} title="Ctrl Z">
        {undoLabel ? `Undo “${undoLabel}”` : 'Nothing to undo'}
      </button>
      {redoLabel && (
        <button type="button" onClick={() => undo(true)} title="Ctrl Shift Z">
          Do again “{redoLabel}”
        </button>
      )}
      <button type="button" aria-label="Keys" onClick={() => useLook.setState({ sheet: true })}>
        ?
      </button>
    </header>
  )
}

const lens = (fovY: number) => Math.round(12 / Math.tan((fovY * Math.PI) / 360))

function aspectName(a: number) {
  for (const [w, h] of [
    [16, 9],
    [4, 3],
    [1, 1],
    [21, 9],
    [3, 2],
    [9, 16],
  ] as const) {
    if (Math.abs(a - w / h) < 0.01) return `${w}:${h}`
  }
  return a.toFixed(2)
}

function ViewLine() {
  const doc = useSetup((s) => s.doc)
  const view = useSetup((s) => s.view)
  const frames = useSetup((s) => s.frames[s.view])
  const lamps = useSetup((s) => s.lamps)
  const v = doc?.views[view]
  const f = finest(frames, lamps)
  const plain = useLook((s) => s.plain)
  if (!v) return <div className="view-line" />
  const state = !f ? 'first light is on its way' : f.level < 2 ? 'coarse, refining' : `${f.noise > 0 ? `noise ${(100 * f.noise).toFixed(1)} % · ` : ''}${f.samples} of ${f.goal} samples`
  return (
    <div className="view-line">
      <b>{v.name}</b>
      <span>
        {lens(v.fovY)} mm · {aspectName(v.aspect)}
        {f ? ` · ${f.width}×${f.height}` : ''}
      </span>
      <span>exposure held at EV {v.ev.toFixed(1)}</span>
      {plain && <span>composed by the server: this browser has no WebGL2</span>}
      <span className="grow" />
      <span data-testid="refinement" data-level={f?.level ?? -1} data-samples={f?.samples ?? 0}>
        {state}
      </span>
    </div>
  )
}

function SpotLine() {
  const spot = useLook((s) => s.spot)
  const alone = useLook((s) => s.alone)
  const doc = useSetup((s) => s.doc)
  const names = [...alone].map((i) => doc?.lights[i]?.name).filter(Boolean)
  return (
    <div className="view-line under">
      {names.length > 0 ? (
        <span className="alone-note">
          {names.join(', ')} alone{' '}
          <button type="button" className="word" onClick={() => useLook.setState({ alone: new Set() })}>
            all together again (Esc)
          </button>
        </span>
      ) : null}
      <span className="grow" />
      <span>{spot !== null && spot > 0 ? `${spot >= 100 ? spot.toFixed(0) : spot.toPrecision(3)} cd/m² · EV ${evOf(spot).toFixed(1)}` : ''}</span>
    </div>
  )
}
