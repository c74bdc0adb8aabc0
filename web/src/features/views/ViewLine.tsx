import { Button } from '@mui/material'
import { lazy, Suspense, useState } from 'react'
import { angle, aspectName, lens } from '../../kernel/camera'
import { cameraNow, moveCamera, toView, useLook } from '../../kernel/look'
import { useSetup } from '../../kernel/store'
import { saveView, updateView } from '../../kernel/viewEdits'
import { NumberField } from '../../ui/NumberField'

const AspectMenu = lazy(() => import('./ViewMenus').then((m) => ({ default: m.AspectMenu })))
const ViewMenu = lazy(() => import('./ViewMenus').then((m) => ({ default: m.ViewMenu })))

const degrees = (v: number) => `${Math.round(v * 10) / 10}`

/** ViewLine says where the eye stands, with what lens and exposure, and how the picture is seen; each of it can be changed there. */
export function ViewLine() {
  const views = useSetup((s) => s.doc?.views)
  const view = useSetup((s) => s.view)
  const camera = useLook((s) => s.camera)
  const exposed = useLook((s) => s.exposed)
  const plain = useLook((s) => s.plain)
  const walking = useLook((s) => s.walking)
  const through = useLook((s) => s.through)
  const throughName = useSetup((s) => (through ? s.doc?.lights[through]?.name : ''))
  const [menu, setMenu] = useState<{ at: HTMLElement; what: 'view' | 'aspect' } | null>(null)
  const v = views?.[view]
  const c = camera ?? v
  if (!views || !v || !c) return null
  const change = (part: Partial<typeof c>, done: boolean) => {
    const now = cameraNow()
    if (now) moveCamera({ ...now, ...part }, !done)
  }
  return (
    <>
      <Button variant="menu" aria-haspopup="menu" onClick={(e) => setMenu({ at: e.currentTarget, what: 'view' })}>
        <b>{v.name}</b>
        {camera ? ', moved' : ''} ▾
      </Button>
      <span className="camera-fields">
        <NumberField label="Focal length" value={lens(c.fovY)} unit="mm" min={8} max={400} step={1.03} geometric show={(x) => x.toFixed(x < 100 ? 1 : 0).replace(/\.0$/, '')} onDraft={(x) => change({ fovY: angle(x) }, false)} onDone={(x) => change({ fovY: angle(x) }, true)} />
        <NumberField label="Angle of view, upright" value={c.fovY} unit="°" min={2} max={140} step={1} show={degrees} onDraft={(x) => change({ fovY: x }, false)} onDone={(x) => change({ fovY: x }, true)} />
        <Button variant="menu" aria-haspopup="menu" aria-label={`Aspect ${aspectName(c.aspect)}`} onClick={(e) => setMenu({ at: e.currentTarget, what: 'aspect' })}>
          {aspectName(c.aspect)} ▾
        </Button>
        <span className="quiet">roll</span>
        <NumberField label="Roll" value={c.roll} unit="°" min={-180} max={180} step={1} show={degrees} onDraft={(x) => change({ roll: x }, false)} onDone={(x) => change({ roll: x }, true)} onReset={() => change({ roll: 0 }, true)} />
      </span>
      <span className="held">{exposed === null ? `EV ${v.ev.toFixed(1)} held` : `EV ${exposed.toFixed(1)} on the route`}</span>
      {camera && (
        <span className="free">
          <Button className="word" onClick={() => toView(view)} aria-keyshortcuts="R">
            back
          </Button>
          <Button className="word" onClick={updateView} aria-keyshortcuts="Shift+V">
            update
          </Button>
          <Button className="word" onClick={saveView} aria-keyshortcuts="V">
            save as new
          </Button>
        </span>
      )}
      {walking && <span className="told">walking: arrow keys, . and , rise and sink; Esc ends</span>}
      {through && <span className="told">through {throughName}: it follows the eye; L ends</span>}
      {plain && <span>composed by the server: this browser has no WebGL2</span>}
      <Suspense fallback={null}>
        {menu?.what === 'aspect' && <AspectMenu at={menu.at} aspect={c.aspect} close={() => setMenu(null)} change={(aspect) => change({ aspect }, true)} draft={(aspect) => change({ aspect }, false)} />}
        {menu?.what === 'view' && <ViewMenu at={menu.at} view={view} v={v} only={Object.keys(views).length < 2} close={() => setMenu(null)} />}
      </Suspense>
    </>
  )
}
