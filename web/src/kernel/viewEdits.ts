import { free } from './lightEdits'
import type { View } from '../api.gen'
import { cameraNow, toView, useLook } from './look'
import { edit, useSetup, type Op } from './store'

const rounded = (c: View): View => {
  const r = (v: number) => Math.round(v * 1e5) / 1e5
  return { ...c, eye: c.eye.map(r) as View['eye'], aim: c.aim.map(r) as View['aim'], fovY: Math.round(c.fovY * 1e4) / 1e4 }
}

/** saveView keeps where the eye stands as a new view; standing in a view, it makes a second one of it. */
export function saveView() {
  const { kept: doc, view } = useSetup.getState()
  const c = cameraNow()
  if (!doc || !c) return
  const base = doc.views[view]?.name ?? 'View'
  const used = new Set(Object.values(doc.views).map((v) => v.name))
  const stem = base.replace(/ \d+$/, '')
  let name = `${stem} 2`
  for (let n = 3; used.has(name); n++) name = `${stem} ${n}`
  const id = free(doc.views, name)
  const order = Math.max(0, ...Object.values(doc.views).map((v) => v.order)) + 1
  edit(`View ${name} saved`, [{ op: 'add', path: `/views/${id}`, value: { ...rounded(c), name, order, ev: doc.views[view]?.ev ?? c.ev } }])
  toView(id)
}

/** updateView moves the saved view to where the eye stands. */
export function updateView() {
  const { kept: doc, view } = useSetup.getState()
  const c = useLook.getState().camera
  const v = doc?.views[view]
  if (!c || !v) return
  edit(`View ${v.name} updated`, [{ op: 'replace', path: `/views/${view}`, value: { ...rounded(c), name: v.name, order: v.order, ev: v.ev } }])
  useLook.setState({ camera: null, moving: false, preview: null })
}

/** removeView takes a saved view away; the last one stays. */
export function removeView(id: string) {
  const { kept: doc } = useSetup.getState()
  const v = doc?.views[id]
  if (!doc || !v || Object.keys(doc.views).length < 2) return
  const next = Object.keys(doc.views).find((k) => k !== id) ?? ''
  const ops: Op[] = [{ op: 'remove', path: `/views/${id}` }]
  if (doc.opens === id) ops.unshift({ op: 'replace', path: '/opens', value: next })
  toView(next)
  edit(`View ${v.name} removed`, ops)
}
