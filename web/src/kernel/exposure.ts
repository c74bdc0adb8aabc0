import type { Auto, View, Zone } from '../api.gen'
import { draft, edit, hold, useSetup, type Op } from './store'
import { free } from './together'

/** standardAuto is what automatic exposure begins with, as the server has it. */
export const standardAuto: Auto = { where: 'centre', spot: [0.5, 0.5], area: [0.25, 0.25, 0.75, 0.75], dark: 0.1, bright: 0.05, inDark: -1, inBright: 0.3, least: 0, most: 13, toBright: 3, toDark: 1 }

const make = (label: string, ops: Op[], done: boolean | 'held') => {
  if (done === 'held') hold(label, ops)
  else if (done) edit(label, ops)
  else draft(ops)
}

/** cameraOf are the numbers of a camera that has a view's exposure. */
export function cameraOf(v: View) {
  const aperture = v.aperture || 2.8
  const shutter = v.shutter || 1 / 60
  return { aperture, shutter, iso: (100 * aperture * aperture) / shutter / 2 ** v.ev }
}

/** evOfCamera is the EV100 of a camera. */
export const evOfCamera = (aperture: number, shutter: number, iso: number) => Math.log2((aperture * aperture) / shutter) - Math.log2(iso / 100)

/** setEV holds a view's exposure. */
export function setEV(id: string, v: View, ev: number, done: boolean | 'held') {
  make(`${v.name} exposure EV ${ev.toFixed(1)}`, [{ op: 'replace', path: `/views/${id}/ev`, value: Math.round(ev * 100) / 100 }], done)
}

/** setCamera holds a view's exposure by a camera's numbers; those that are not named stay. */
export function setCamera(id: string, v: View, part: Partial<ReturnType<typeof cameraOf>>, label: string, done: boolean) {
  const c = { ...cameraOf(v), ...part }
  const ev = Math.round(evOfCamera(c.aperture, c.shutter, c.iso) * 1000) / 1000
  const ops: Op[] = [
    { op: 'add', path: `/views/${id}/aperture`, value: c.aperture },
    { op: 'add', path: `/views/${id}/shutter`, value: c.shutter },
    { op: 'replace', path: `/views/${id}/ev`, value: ev },
  ]
  make(`${v.name} ${label}`, ops, done)
}

/** setAuto changes parts of the setup's automatic exposure. */
export function setAuto(part: Partial<Auto>, label: string, done: boolean | 'held' = true) {
  const a = useSetup.getState().kept?.auto ?? standardAuto
  make(label, [{ op: 'add', path: '/auto', value: { ...a, ...part } }], done)
}

/** addZone makes a zone about where the view's eye stands, with its exposure; or one that is everywhere. */
export function addZone(view: string, everywhere: boolean) {
  const doc = useSetup.getState().kept
  const v = doc?.views[view]
  if (!doc || !v) return
  const names = new Set(Object.values(doc.zones).map((z) => z.name))
  const word = everywhere ? 'Everywhere' : v.name
  let name = word
  for (let n = 2; names.has(name); n++) name = `${word} ${n}`
  const most = Math.max(0, ...Object.values(doc.zones).map((z) => z.precedence))
  const zone: Zone = { name, precedence: everywhere ? -1 : most + 1, position: v.eye.map((x) => Math.round(x * 10) / 10) as [number, number, number], size: everywhere ? [0, 0, 0] : [8, 4, 8], blend: everywhere ? 0 : 3, ev: Math.round(v.ev * 10) / 10 }
  edit(`Zone “${name}” made`, [{ op: 'add', path: `/zones/${free(doc.zones, name)}`, value: zone }])
}

/** setZone changes a zone. */
export function setZone(id: string, part: Partial<Zone>, label: string, done: boolean | 'held' = true) {
  const z = useSetup.getState().kept?.zones[id]
  if (z) make(`Zone “${z.name}”: ${label}`, Object.entries(part).map(([k, value]): Op => ({ op: 'add', path: `/zones/${id}/${k}`, value })), done)
}

/** removeZone takes a zone away. */
export function removeZone(id: string) {
  const z = useSetup.getState().kept?.zones[id]
  if (z) edit(`Zone “${z.name}” removed`, [{ op: 'remove', path: `/zones/${id}` }])
}

/** takeZones lets a view have the exposure of the zones that its eye stands in, or its own. */
export function takeZones(id: string, v: View, zoned: boolean) {
  edit(zoned ? `${v.name} exposed by zones` : `${v.name} holds its own exposure`, [{ op: 'add', path: `/views/${id}/zoned`, value: zoned }])
}
