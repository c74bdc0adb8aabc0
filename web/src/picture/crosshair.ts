import { create } from 'zustand'

/** A pointer that is moved by the arrow keys over the picture, so that all that a mouse or a pen does there can be done by keys: Enter clicks, Space presses and lets go. */
interface Crosshair {
  /** Where it is, 0 to 1 from the top left; null while it is put away. */
  at: { x: number; y: number } | null
  /** What it has pressed and not let go yet. */
  held: Element | null
}

export const useCrosshair = create<Crosshair>(() => ({ at: null, held: null }))

/** pictureId is the id of the picture, for the keyboard to go to. */
export const pictureId = 'picture'

const fine = 0.002
const coarse = 0.02

/** The pointer's number: none that a device has. */
const pointerId = 9001

function send(type: string, to: Element | null, box: DOMRect, at: { x: number; y: number }, buttons: number) {
  to?.dispatchEvent(new PointerEvent(type, { bubbles: true, cancelable: true, pointerId, pointerType: 'mouse', isPrimary: true, button: type === 'pointermove' ? -1 : 0, buttons, clientX: box.x + at.x * box.width, clientY: box.y + at.y * box.height }))
}

/** crosshairKey does what a key means to the crosshair in a picture; false where it means nothing. */
export function crosshairKey(e: { key: string; shiftKey: boolean }, picture: Element): boolean {
  const { at, held: pressed } = useCrosshair.getState()
  // What was pressed may have been drawn anew meanwhile.
  const held = pressed && (pressed.isConnected ? pressed : picture)
  const box = picture.getBoundingClientRect()
  const under = (p: { x: number; y: number }) => document.elementFromPoint(box.x + p.x * box.width, box.y + p.y * box.height) ?? picture
  const step = e.shiftKey ? fine : coarse
  const by = { ArrowLeft: [-step, 0], ArrowRight: [step, 0], ArrowUp: [0, -step], ArrowDown: [0, step] }[e.key]
  if (by) {
    const from = at ?? { x: 0.5, y: 0.5 }
    const to = at ? { x: Math.min(Math.max(from.x + (by[0] ?? 0), 0.001), 0.999), y: Math.min(Math.max(from.y + (by[1] ?? 0), 0.001), 0.999) } : from
    useCrosshair.setState({ at: to })
    send('pointermove', held ?? under(to), box, to, held ? 1 : 0)
    return true
  }
  if (!at) return false
  if (e.key === 'Enter' || e.key === ' ') {
    if (held) {
      useCrosshair.setState({ held: null })
      send('pointerup', held, box, at, 0)
      return true
    }
    const el = under(at)
    send('pointerdown', el, box, at, 1)
    if (e.key === ' ') useCrosshair.setState({ held: el })
    else {
      send('pointerup', el, box, at, 0)
      el.dispatchEvent(new MouseEvent('click', { bubbles: true, cancelable: true, clientX: box.x + at.x * box.width, clientY: box.y + at.y * box.height }))
    }
    return true
  }
  if (e.key === 'Escape') {
    useCrosshair.setState({ at: null })
    return true
  }
  return false
}

/** drop ends a press as if the pointer had been lost. */
function drop(e: KeyboardEvent) {
  const { held } = useCrosshair.getState()
  if (e.key !== 'Escape' || !held) return
  useCrosshair.setState({ held: null })
  held.dispatchEvent(new PointerEvent('pointercancel', { bubbles: true, pointerId }))
  e.stopImmediatePropagation()
}

// Before whatever else listens for Escape.
window.addEventListener('keydown', drop, true)

/** capture keeps a pointer's moves at an element; what is no device's pointer has no need of it. */
export function capture(el: Element, id: number) {
  try {
    el.setPointerCapture(id)
  } catch {
    /* a crosshair sends its moves to what it has pressed */
  }
}

/** captured tells whether an element has a pointer's moves. */
export const captured = (el: Element, id: number) => el.hasPointerCapture(id) || (id === pointerId && useCrosshair.getState().held !== null)
