import { create } from 'zustand'
import type { Step, Walked } from '../../api.gen'
import type { Camera } from '../../kernel/camera'
import { cameraNow, moveCamera, useLook } from '../../kernel/look'
import { usePanes } from '../../kernel/panes'
import { useSetup } from '../../kernel/store'

/** What the plan is coloured by. */
export type Heat = 'lux' | 'ms' | 'figure' | 'left'

interface State {
  route: string
  /** The step that is stood on; -1 for none. */
  step: number
  heat: Heat
  /** The plan is there to draw stops on. */
  draws: boolean
  playing: boolean
}

export const useRoute = create<State>(() => ({ route: '', step: -1, heat: 'lux', draws: false, playing: false }))

/** cameraOf is what a step sees. */
export function cameraOf(s: Step, fovY: number): Camera | null {
  const now = cameraNow()
  if (!now) return null
  return { ...now, name: 'On the route', eye: s.eye, aim: s.aim, roll: 0, fovY, aspect: 16 / 9, ev: Math.round(s.ev * 10) / 10, zoned: false, focus: 0 }
}

/** stand puts the eye onto a step of the route. */
export function stand(w: Walked, step: number, glide = false) {
  const k = Math.min(Math.max(step, 0), w.steps.length - 1)
  const s = w.steps[k]
  const { doc } = useSetup.getState()
  const r = doc?.routes?.[routeNow()]
  const c = s && cameraOf(s, r?.fovY ?? 46)
  if (!s || !c) return
  moveCamera(c, glide)
  useLook.setState({ exposed: c.ev, onRoute: { route: routeNow(), ground: s.at, metres: s.metres } })
  useRoute.setState({ step: k })
}

/** routeNow is the route that is shown: the one that was chosen, or the first. */
export function routeNow(): string {
  const all = useSetup.getState().doc?.routes ?? {}
  const { route } = useRoute.getState()
  return all[route] ? route : (routeIds(all)[0] ?? '')
}

/** routeIds are the routes in their order. */
export const routeIds = (all: Record<string, { order: number }>) => Object.keys(all).sort((a, b) => (all[a]?.order ?? 0) - (all[b]?.order ?? 0) || a.localeCompare(b))

let timer: ReturnType<typeof setInterval> | undefined

/** play walks the route in the picture as a player would, from where one stands; again, it stops. */
export function play(w: Walked) {
  clearInterval(timer)
  if (useRoute.getState().playing) {
    useRoute.setState({ playing: false })
    return
  }
  const from = useRoute.getState().step
  const first = w.steps[from >= w.steps.length - 1 ? 0 : Math.max(from, 0)]
  const began = performance.now() - 1000 * (first?.second ?? 0)
  useRoute.setState({ playing: true })
  let mine = useLook.getState().camera
  timer = setInterval(() => {
    // The hand that moves the eye meanwhile, or another step, has it.
    if (useLook.getState().camera !== mine || usePanes.getState().step !== 'walk') return stop()
    const t = (performance.now() - began) / 1000
    const k = w.steps.findIndex((s) => s.second >= t)
    stand(w, k < 0 ? w.steps.length - 1 : k, k >= 0)
    mine = useLook.getState().camera
    if (k < 0) {
      clearInterval(timer)
      useRoute.setState({ playing: false })
    }
  }, 90)
}

/** stop ends it. */
export function stop() {
  clearInterval(timer)
  useRoute.setState({ playing: false })
}
