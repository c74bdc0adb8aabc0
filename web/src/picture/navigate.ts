import { useEffect, useRef } from 'react'
import { choose, cameraNow, moveCamera, standStill, useLook } from '../kernel/look'
import { add, angle, dolly, lens, look, orbit, pan, ray, times, walk, type Camera, type V3 } from '../kernel/camera'
import { capture } from './crosshair'
import { middleDistance, under } from './ground'
import { settled, travel } from './solid'
import { pinHere } from './weighing'

/** Keys that are held while the hand works, by their names. */
export const held = new Set<string>()
window.addEventListener('keydown', (e) => {
  const t = e.target as HTMLElement
  if (t.tagName !== 'INPUT' && t.tagName !== 'SELECT' && !e.ctrlKey && !e.metaKey) held.add(e.key === ' ' ? 'space' : e.key.toLowerCase())
})
window.addEventListener('keyup', (e) => held.delete(e.key === ' ' ? 'space' : e.key.toLowerCase()))
window.addEventListener('blur', () => held.clear())

type Mode = 'orbit' | 'pan' | 'look' | 'pick' | 'finger'

interface Drag {
  mode: Mode
  x: number
  y: number
  from: Camera
  pivot: V3
  moved: boolean
}

/** where is a pointer's position in the picture, 0 to 1. */
export function where(e: { clientX: number; clientY: number }, box: Element) {
  const r = box.getBoundingClientRect()
  return { x: (e.clientX - r.left) / r.width, y: (e.clientY - r.top) / r.height, w: r.width, h: r.height }
}

/** pivotAt is the place under a picture position; over the open sky, one as far as most of what is seen. */
export function pivotAt(c: Camera, x: number, y: number): V3 {
  return under(c, x, y)?.position ?? add(c.eye, times(ray(c, x, y), middleDistance(c)))
}

/** turnOf is by how much a drag over the picture's width turns the eye, in radians: 60 degrees about what is near, less about what is far, where the same turn would carry it away. */
export const turnOf = (c: Camera, pivot: V3) => (Math.PI / 3) * Math.min(Math.max(3 / Math.max(Math.hypot(...(pivot.map((v, i) => v - (c.eye[i] ?? 0)) as V3)), 0.1), 0.3), 1)

/** useWheel goes towards what lies under the pointer, or changes the lens; while walking it changes the pace. */
function useWheel(box: React.RefObject<HTMLElement | null>, speed: React.RefObject<number>) {
  const last = useRef<{ pivot: V3; at: number } | null>(null)
  useEffect(() => {
    const el = box.current?.parentElement
    if (!el) return
    const wheel = (e: WheelEvent) => {
      const c = cameraNow()
      if (!c || !box.current) return
      e.preventDefault()
      const notches = -(e.deltaY || e.deltaX) / 100
      if (useLook.getState().walking) {
        speed.current = Math.min(Math.max(speed.current * 1.25 ** notches, 0.1), 30)
        return
      }
      if (e.shiftKey) {
        moveCamera({ ...c, fovY: angle(Math.min(Math.max(lens(c.fovY) * 1.06 ** notches, 8), 400)) })
        return
      }
      const p = where(e, box.current)
      const now = performance.now()
      if (!last.current || now - last.current.at > 400) last.current = { pivot: pivotAt(c, p.x, p.y), at: now }
      last.current.at = now
      travel(dolly(c, last.current.pivot, 1 - 0.88 ** notches))
    }
    el.addEventListener('wheel', wheel, { passive: false })
    return () => el.removeEventListener('wheel', wheel)
  }, [box, speed])
}

/** useWalking moves the eye while its keys are held, in metres a second. */
function useWalking(speed: React.RefObject<number>) {
  const walking = useLook((s) => s.walking)
  useEffect(() => {
    if (!walking) return
    let frame = 0
    let before = performance.now()
    const step = (now: number) => {
      const s = (Math.min(now - before, 100) / 1000) * speed.current * (held.has('shift') ? 0.3 : 1)
      before = now
      const k = (a: string, b: string) => (held.has(a) ? 1 : 0) - (held.has(b) ? 1 : 0)
      const f = k('arrowup', 'arrowdown')
      const r = k('arrowright', 'arrowleft')
      const u = k('.', ',')
      const c = cameraNow()
      if (c && (f || r || u)) travel(walk(c, f * s, r * s, u * s))
      frame = requestAnimationFrame(step)
    }
    frame = requestAnimationFrame(step)
    return () => cancelAnimationFrame(frame)
  }, [walking, speed])
}

/** chooseObject chooses what was clicked: it alone, or with the others; a click on nothing chooses nothing. */
function chooseObject(object: number | undefined, more: boolean) {
  useLook.setState((s) => {
    if (object === undefined) return more ? {} : { objects: [] }
    const has = s.objects.includes(object)
    if (more) return { objects: has ? s.objects.filter((o) => o !== object) : [...s.objects, object] }
    return { objects: has && s.objects.length === 1 ? [] : [object] }
  })
  if (object === undefined && !more) choose(null)
}

/** useNavigation moves the eye by hand over the canvas in box: what lies under the pointer is what it turns about and goes towards. */
export function useNavigation(box: React.RefObject<HTMLElement | null>) {
  const drag = useRef<Drag | null>(null)
  const walking = useLook((s) => s.walking)
  const speed = useRef(1.4)

  const begin = (mode: Mode, e: React.PointerEvent) => {
    const c = cameraNow()
    if (!c || !box.current) return
    const p = where(e, box.current)
    capture(e.currentTarget, e.pointerId)
    drag.current = { mode, x: e.clientX, y: e.clientY, from: c, pivot: pivotAt(c, p.x, p.y), moved: false }
  }

  useWheel(box, speed)
  useWalking(speed)

  /** drop ends a drag of one pointer: a second finger has come. */
  const drop = () => void (drag.current = null)
  const hands = {
    onPointerDown: (e: React.PointerEvent) => {
      if (e.button === 2) begin(e.shiftKey ? 'pan' : e.ctrlKey ? 'look' : 'orbit', e)
      else if (e.button === 1) begin('pan', e)
      // A finger that is drawn along turns; one that taps chooses, as a pen and a mouse do.
      else if (e.button === 0) begin(walking ? 'look' : held.has('space') ? 'orbit' : e.pointerType === 'touch' ? 'finger' : 'pick', e)
      if (e.button === 1) e.preventDefault()
    },
    onPointerMove: (e: React.PointerEvent) => {
      const d = drag.current
      if (!d || !box.current) return
      const { w, h } = where(e, box.current)
      const dx = e.clientX - d.x
      const dy = e.clientY - d.y
      if (!d.moved && Math.hypot(dx, dy) < 3) return
      d.moved = true
      if (d.mode === 'orbit' || d.mode === 'finger') {
        const turn = turnOf(d.from, d.pivot)
        travel(orbit(d.from, d.pivot, (-dx / w) * turn, (-dy / h) * turn * 0.6))
      }
      else if (d.mode === 'look') moveCamera(look(d.from, (-dx / w) * 1.6, (-dy / h) * 0.9))
      else if (d.mode === 'pan') {
        const along = Math.max(Math.hypot(...(d.pivot.map((v, i) => v - (d.from.eye[i] ?? 0)) as V3)), 0.1)
        travel(pan(d.from, along, dx / w, dy / h))
      }
    },
    onPointerUp: (e: React.PointerEvent) => {
      const d = drag.current
      drag.current = null
      if (!d || !box.current) return
      if (d.mode !== 'pick' && !(d.mode === 'finger' && !d.moved)) {
        standStill()
        if (d.moved && d.mode !== 'look') void settled(d.pivot, d.from.eye as V3)
        return
      }
      if (d.moved) return
      if (useLook.getState().weighs) {
        pinHere()
        return
      }
      const p = where(e, box.current)
      chooseObject(under(d.from, p.x, p.y)?.object, e.shiftKey || e.ctrlKey)
    },
    onPointerCancel: () => {
      drag.current = null
      standStill()
    },
    onContextMenu: (e: React.MouseEvent) => e.preventDefault(),
  }
  return { hands, drop }
}
