import { create } from 'zustand'
import type { Preview, Reading } from '../api.gen'
import { useSetup } from './store'
import type { Split } from './seeing'
import type { Camera } from './camera'

/** Ways of seeing the picture. */
export type Way = 'picture' | 'light' | 'direct' | 'bounced' | 'air' | 'sky' | 'emissive' | 'mark' | 'zones' | 'clipped' | 'luminance' | 'illuminance' | 'albedo' | 'normals' | 'edges' | 'reach' | 'crowding' | 'runtime' | 'beside' | 'gap'

/** Axes that handles move along. */
export type Axes = 'world' | 'light' | 'view'

/** A point that is weighed again whenever the light changes. */
export interface Pin {
  id: number
  x: number
  y: number
  camera: Camera
  position: [number, number, number] | null
  reading: Reading | null
}

/** What this window alone looks at: lights alone, what is chosen, its own camera, readings. */
interface Look {
  alone: ReadonlySet<string>
  /** The row in hand, and all that are chosen with it. */
  chosen: string | null
  picked: ReadonlySet<string>
  open: ReadonlySet<string>
  /** The pointer weighs what it is over, and a click pins it, until that is ended. */
  weighs: boolean
  /** Objects of the place that are chosen, by number. */
  objects: readonly number[]
  histogram: number[]
  spot: number | null
  spotLux: number | null
  under: string
  drawn: number
  sheet: boolean
  finder: boolean
  /** The machine has no WebGL2: the server composes. */
  plain: boolean
  /** The window's own camera; null where it stands in the saved view. */
  camera: Camera | null
  moving: boolean
  /** An exposure of this window's own, as it adapts on a route; null where the view's is held. */
  exposed: number | null
  /** The route that is stood on, and where; null where the eye has gone elsewhere. */
  onRoute: { route: string; ground: [number, number, number]; metres: number } | null
  back: Camera[]
  forth: Camera[]
  walking: boolean
  /** Surfaces stop the eye. */
  solid: boolean
  /** The light that is looked through: it is aimed as the eye moves. */
  through: string | null
  hidden: readonly string[]
  cut: number
  preview: Preview | null
  way: Way
  handles: boolean
  axes: Axes
  thirds: boolean
  safe: boolean
  /** Whether what is sharp is told by colours. */
  showFocus: boolean
  /** A place that a check has found, shown until something else is chosen. */
  marked: { at: [number, number, number]; words: string } | null
  weighing: { x: number; y: number; reading: Reading | null } | null
  pins: readonly Pin[]
  light: boolean
  /** A state beside the present one, and how the two are shown. */
  split: Split
  wipe: number
}

export const useLook = create<Look>(() => ({
  alone: new Set<string>(),
  chosen: null,
  showFocus: false,
  picked: new Set<string>(),
  open: new Set(),
  weighs: false,
  objects: [],
  histogram: [],
  spot: null,
  spotLux: null,
  under: '',
  drawn: 0,
  sheet: false,
  finder: false,
  plain: false,
  camera: null,
  moving: false,
  exposed: null,
  onRoute: null,
  back: [],
  forth: [],
  walking: false,
  solid: localStorage.getItem('willowherb.solid') !== 'false',
  through: null,
  hidden: [],
  cut: 0,
  preview: null,
  way: 'picture',
  handles: true,
  axes: 'world',
  thirds: false,
  safe: false,
  marked: null,
  weighing: null,
  pins: [],
  light: localStorage.getItem('willowherb.surround') === 'light',
  split: 'none',
  wipe: 0.5,
}))

const get = useLook.getState
const set = useLook.setState

/** toggleAlone leaves only this light on; a second time brings all back. With more, lights are added to what is alone. */
export function toggleAlone(ids: string[], more = false) {
  set((s) => {
    const same = ids.every((i) => s.alone.has(i)) && (more || s.alone.size === ids.length)
    if (same) return { alone: new Set([...s.alone].filter((i) => !ids.includes(i))) }
    return { alone: new Set(more ? [...s.alone, ...ids] : ids) }
  })
}

/** choose takes a light in hand; with more it joins, or leaves, those that are chosen. */
export function choose(id: string | null, more = false) {
  set((s) => {
    if (id === null) return { chosen: null, picked: new Set<string>(), marked: null }
    if (!more) return { chosen: id, picked: new Set([id]), objects: [], marked: null }
    const picked = new Set(s.picked)
    if (picked.has(id)) picked.delete(id)
    else picked.add(id)
    return { picked, chosen: picked.has(id) ? id : ([...picked].at(-1) ?? null) }
  })
}

export function chooseAll(ids: string[]) {
  set({ picked: new Set(ids), chosen: ids.at(-1) ?? null })
}

/** cameraNow is where this window's eye is. */
export function cameraNow(): Camera | null {
  const s = useSetup.getState()
  return get().camera ?? s.doc?.views[s.view] ?? null
}

let rest: ReturnType<typeof setTimeout> | undefined

/** moveCamera puts the eye somewhere. Positions that a movement began from can be gone back to. */
export function moveCamera(c: Camera, glide = true) {
  clearTimeout(rest)
  set((s) => {
    const from = s.moving ? null : cameraNow()
    return { camera: c, moving: glide, onRoute: null, back: from ? [...s.back, from].slice(-40) : s.back, forth: from ? [] : s.forth }
  })
  if (glide) rest = setTimeout(() => set({ moving: false }), 220)
}

/** standStill ends a movement at once: the hand has let go. */
export function standStill() {
  clearTimeout(rest)
  if (get().moving) set({ moving: false })
}

/** stepBack returns to where the eye was before; forward undoes that. */
export function stepBack(forward = false) {
  const { back, forth } = get()
  const from = cameraNow()
  const to = (forward ? forth : back).at(-1)
  if (!to || !from) return
  if (forward) set({ camera: to, exposed: null, onRoute: null, forth: forth.slice(0, -1), back: [...back, from] })
  else set({ camera: to, exposed: null, onRoute: null, back: back.slice(0, -1), forth: [...forth, from] })
}

/** toView stands in a saved view again. */
export function toView(id: string) {
  const from = get().camera
  set((s) => ({ camera: null, exposed: null, onRoute: null, moving: false, walking: false, through: null, preview: null, back: from ? [...s.back, from].slice(-40) : s.back }))
  useSetup.setState({ view: id })
}

export const surround = (light: boolean) => {
  localStorage.setItem('willowherb.surround', light ? 'light' : 'dark')
  set({ light })
}
