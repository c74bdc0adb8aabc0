import { framed, type V3 } from '../../kernel/camera'
import type { Command } from '../../kernel/feature'
import { cameraNow, moveCamera, stepBack, toView, useLook } from '../../kernel/look'
import { say, useSetup } from '../../kernel/store'
import { useThings } from '../../kernel/things'
import { standing } from '../../kernel/travel'
import { saveView, updateView } from '../../kernel/viewEdits'
import { surfacesStop } from '../../picture/solid'

const look = useLook.getState
const picked = () => [...look().picked]
const camera = () => cameraNow() !== null

/** walkOrStop takes the arrow keys from whatever has them: they are the feet's. */
function walkOrStop() {
  ;(document.activeElement as HTMLElement | null)?.blur()
  useLook.setState((s) => ({ walking: !s.walking }))
}

/** frameChosen goes to where all that is chosen fits the picture. */
function frameChosen() {
  const doc = useSetup.getState().doc
  const c = cameraNow()
  if (!doc || !c) return
  const lo: V3 = [Infinity, Infinity, Infinity]
  const hi: V3 = [-Infinity, -Infinity, -Infinity]
  const take = (p: readonly number[], r: number) => {
    for (let k = 0; k < 3; k++) {
      lo[k] = Math.min(lo[k] as number, (p[k] ?? 0) - r)
      hi[k] = Math.max(hi[k] as number, (p[k] ?? 0) + r)
    }
  }
  for (const id of picked()) {
    const raw = doc.lights[id]
    const l = raw && standing(id, raw)
    if (l && l.kind !== 'sun' && l.kind !== 'sky' && l.kind !== 'emissive') take(l.position, 0.6)
  }
  for (const o of look().objects) {
    const t = useThings.getState().things[o]
    if (t) {
      take(t.lo, 0)
      take(t.hi, 0)
    }
  }
  if (!Number.isFinite(lo[0])) {
    say('Choose a light or an object first, then frame it.')
    return
  }
  moveCamera(framed(c, [(lo[0] + hi[0]) / 2, (lo[1] + hi[1]) / 2, (lo[2] + hi[2]) / 2], Math.hypot(hi[0] - lo[0], hi[1] - lo[1], hi[2] - lo[2]) / 2), false)
}

/** commands of the eye. */
export const commands: Command[] = [
  { name: 'Frame what is chosen', keys: 'F', area: 'Camera', run: frameChosen },
  { name: 'Back to where the eye was', keys: 'B', area: 'Camera', run: () => stepBack(), able: () => look().back.length > 0 },
  { name: 'Forward again', keys: 'Shift B', area: 'Camera', run: () => stepBack(true), able: () => look().forth.length > 0 },
  { name: 'Back to the saved view', keys: 'R', area: 'Camera', run: () => toView(useSetup.getState().view), able: () => look().camera !== null },
  { name: 'Save as a new view', keys: 'V', area: 'Camera', run: saveView, able: camera },
  { name: 'Update the view to here', keys: 'Shift V', area: 'Camera', run: updateView, able: () => look().camera !== null },
  { name: 'Surfaces stop the eye, or let it through', keys: '', area: 'Camera', run: () => surfacesStop(!look().solid) },
  { name: 'Walk, or stop walking', keys: 'W', area: 'Camera', run: walkOrStop, able: camera },
]
