import { api } from '../kernel/client'
import { gazeNow } from '../kernel/live'
import { useSetup } from '../kernel/store'
import { add, dot, len, norm, sub, times, type Camera, type V3 } from '../kernel/camera'
import { cameraNow, moveCamera, useLook } from '../kernel/look'

/** Surfaces stop the eye as the hand moves it: the server knows how far it may go. Within what is known to be free it moves at once. */

/** What is known to be free: a ball about a place. */
let known: { at: V3; free: number } | null = null
/** Where the hand wants the eye, while the server is asked. */
let wanted: Camera | null = null
let asking = false

/** forgetFree is called when the place, or what is hidden of it, has changed. */
export const forgetFree = () => {
  known = null
}

useLook.subscribe((s, before) => s.hidden !== before.hidden && forgetFree())
useSetup.subscribe((s, before) => s.revision !== before.revision && forgetFree())

const within = (p: V3, share: number) => known !== null && len(sub(p, known.at)) <= known.free * share

/** travel moves the eye as the hand wants it, as far as surfaces let it; it slides along them. */
export function travel(c: Camera) {
  if (!useLook.getState().solid) {
    moveCamera(c)
    return
  }
  const at = c.eye as V3
  if (within(at, 1)) {
    moveCamera(c)
    // What lies ahead is asked for before it is reached.
    if (!within(at, 0.5)) void ask(at)
    return
  }
  wanted = c
  void ask()
}

async function ask(ahead?: V3) {
  const id = useSetup.getState().id
  const now = cameraNow()
  if (asking || id === null || !now) return
  const c = wanted
  const free = useLook.getState().camera !== null
  wanted = null
  const to = ahead ?? c?.eye
  if (!to) return
  asking = true
  try {
    const a = await api.step(id, { gaze: gazeNow(0), from: now.eye, to })
    known = { at: a.at as V3, free: a.free }
    // Unless a saved view was gone to meanwhile.
    if (c && useLook.getState().solid && (!free || useLook.getState().camera)) moveCamera({ ...c, eye: a.at })
  } catch {
    if (c) moveCamera(c) // without the server there is no picture of where it is either
  } finally {
    asking = false
    if (wanted) void ask()
  }
}

/** settled says that the hand has let go of a turn or slide about a place that was seen from somewhere. With walls that let the eye through, those between it and that place are cut away. */
export async function settled(about: V3, seenFrom: V3) {
  const id = useSetup.getState().id
  const c = cameraNow()
  if (useLook.getState().solid || id === null || !c) return
  // From just before it, on the side that was seen.
  const side = sub(seenFrom, about)
  const near = add(about, times(norm(side), Math.min(0.3, len(side))))
  const a = await api.step(id, { gaze: { ...gazeNow(0), cut: 0 }, from: near, to: c.eye }).catch(() => null)
  if (!a) return
  const left = dot(sub(a.at as V3, c.eye as V3), norm(sub(about, c.eye as V3)))
  const cut = a.by !== '' && left > 0.25 ? Math.round((left + 0.25) * 100) / 100 : 0
  if (useLook.getState().cut !== cut) useLook.setState({ cut })
}

const place = 'willowherb.solid'

/** surfacesStop chooses whether surfaces stop the eye. */
export function surfacesStop(solid: boolean) {
  localStorage.setItem(place, String(solid))
  useLook.setState({ solid, ...(solid ? { cut: 0 } : {}) })
}
