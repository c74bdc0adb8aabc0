import type { Point } from '../api.gen'
import { api } from '../kernel/client'
import { gazeNow } from '../kernel/live'
import { cameraNow, useLook, type Pin } from '../kernel/look'
import { acknowledged, useSetup } from '../kernel/store'

/** pointer is where the mouse was last, over the picture; null elsewhere. */
export const pointer: { at: { x: number; y: number } | null } = { at: null }

/** ask weighs a point once the server knows of every edit: it may be asked about a view that was just saved. */
async function ask(id: number, q: Point) {
  if (useSetup.getState().pending.length > 0) await acknowledged()
  return api.weigh(id, q)
}

let busy = false
let again = false

/** weighHere asks what lights the point under the pointer, one question at a time, the latest last. */
export async function weighHere(): Promise<void> {
  const at = pointer.at
  const id = useSetup.getState().id
  if (!at || id === null) return
  useLook.setState((s) => ({ weighing: { ...at, reading: s.weighing?.reading ?? null } }))
  if (busy) {
    again = true
    return
  }
  busy = true
  try {
    const reading = await ask(id, { gaze: gazeNow(0), ...at, careful: false })
    if (useLook.getState().weighing) useLook.setState({ weighing: { ...at, reading } })
  } catch {
    /* the next move asks again */
  } finally {
    busy = false
    if (again) {
      again = false
      if (useLook.getState().weighing) void weighHere()
    }
  }
}

let rest: ReturnType<typeof setTimeout> | undefined

/** luxAtRest reads how much light falls on the surface under the pointer, once it has come to rest. */
export function luxAtRest() {
  clearTimeout(rest)
  rest = setTimeout(() => {
    const at = pointer.at
    const { id } = useSetup.getState()
    const l = useLook.getState()
    if (!at || id === null || l.weighing || l.moving) return
    ask(id, { gaze: gazeNow(0), ...at, careful: false }).then(
      (r) => {
        if (pointer.at?.x === at.x && pointer.at.y === at.y && r.hit) useLook.setState({ spotLux: r.lux })
      },
      () => undefined,
    )
  }, 350)
}

let pins = 0

/** pinHere keeps a reading of the point under the pointer, made again whenever the light changes. */
export function pinHere() {
  const at = pointer.at
  const c = cameraNow()
  if (!at || !c) return
  const pin: Pin = { id: ++pins, ...at, camera: c, position: null, reading: null }
  useLook.setState((s) => ({ pins: [...s.pins, pin].slice(-8) }))
  void readPin(pin.id)
}

/** readPin weighs a pin's point anew. */
export async function readPin(id: number) {
  const pin = useLook.getState().pins.find((p) => p.id === id)
  const setup = useSetup.getState().id
  if (!pin || setup === null) return
  try {
    const reading = await ask(setup, { gaze: { ...gazeNow(0), camera: pin.camera }, x: pin.x, y: pin.y, careful: true })
    useLook.setState((s) => ({ pins: s.pins.map((p) => (p.id === id ? { ...p, reading, position: reading.hit ? reading.position : null } : p)) }))
  } catch {
    /* asked again at the next change */
  }
}
