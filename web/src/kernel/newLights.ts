import type { Light } from '../api.gen'
import { axes, add, times, type Camera, type V3 } from './camera'
import { choose, chooseAll, useLook } from './look'
import { lockedLight } from './locks'
import { edit, entries, say, type Op } from './store'
import { free, freeName, now, placedKind, round } from './together'

/** kindNames are what the kinds of light are called. */
export const kindNames: Record<Light['kind'], string> = { sun: 'Sun', sky: 'Sky', point: 'Lamp', spot: 'Spot', rect: 'Panel', disc: 'Disc', line: 'Line', emissive: 'Shining surface' }

/** newLights are the edits that make lights and take them away. */
export const newLights = {
  /** create puts a new light where the eye looks: a third of the way to what is seen, or before it. */
  create(kind: Light['kind'], camera: Camera, target: V3) {
    const doc = now()
    if (!doc) return
    const chosen = useLook.getState().chosen
    const group = (chosen && doc.lights[chosen]?.group) || entries(doc.groups)[0]?.[0] || ''
    const name = freeName(doc, group, kindNames[kind])
    const id = free(doc.lights, name)
    const eye: V3 = camera.eye
    const position = add(eye, times([target[0] - eye[0], target[1] - eye[1], target[2] - eye[2]], 0.7)).map((v) => round(v, 0.001)) as V3
    const order = Math.max(0, ...Object.values(doc.lights).map((l) => l.order)) + 1
    const aim: V3 = kind === 'sun' ? [-0.4, -0.8, -0.45] : [target[0] - position[0], target[1] - position[1] - 0.001, target[2] - position[2]]
    const l: Light = {
      name, group, order, kind, output: kind === 'sun' ? 10000 : kind === 'sky' ? 200 : 800, stops: 0, colour: { kelvin: kind === 'sky' ? 7500 : kind === 'sun' ? 5200 : 3200 }, off: false,
      position, aim, roll: 0, radius: kind === 'disc' ? 0.25 : kind === 'point' || kind === 'spot' ? 0.04 : 0, width: kind === 'rect' ? 1 : 0, height: kind === 'rect' ? 0.6 : 0,
      angle: kind === 'sun' ? 0.53 : 0, length: kind === 'line' ? 1.2 : 0, inner: kind === 'spot' ? 20 : 0, outer: kind === 'spot' ? 32 : 0, range: kind === 'sun' || kind === 'sky' ? 0 : 8, shadow: true, shadowMap: kind === 'sun' ? 2048 : 512, carry: 'live', channels: 255,
    }
    edit(`New light ${name}`, [{ op: 'add', path: `/lights/${id}`, value: l }])
    choose(id)
    useLook.setState({ open: new Set([id]) })
  },
  remove(ids: string[]) {
    const doc = now()
    if (!doc) return
    const list = ids.filter((i) => doc.lights[i] && !lockedLight(doc, doc.lights[i] as Light))
    if (list.length === 0) {
      if (ids.length) say('Locked lights are not removed. Unlock them first (K).')
      return
    }
    const names = list.length === 1 ? doc.lights[list[0] ?? '']?.name : `${list.length} lights`
    edit(`${names} removed`, list.map((i) => ({ op: 'remove', path: `/lights/${i}` })))
    choose(null)
    useLook.setState((s) => ({ open: new Set([...s.open].filter((i) => !list.includes(i))) }))
  },
  /** duplicate copies lights beside themselves, half a metre to the right in the view. */
  duplicate(ids: string[], camera: Camera | null) {
    const doc = now()
    const lights = doc ? ids.flatMap((i) => (doc.lights[i] ? [doc.lights[i] as Light] : [])) : []
    newLights.paste(lights, camera ? times(axes(camera.aim, camera.roll).right, 0.5) : [0.5, 0, 0], 'duplicated')
  },
  /** paste adds copies of lights, moved by an offset; their group is made if it is not here. */
  paste(lights: Light[], offset: V3, how = 'pasted') {
    const doc = now()
    if (!doc || lights.length === 0) return
    const ops: Op[] = []
    const taken: Record<string, unknown> = { ...doc.lights }
    const given: Record<string, string[]> = {}
    const ids: string[] = []
    for (const from of lights) {
      const group = doc.groups[from.group] ? from.group : ''
      const l = structuredClone(from)
      l.group = group
      l.name = freeName(doc, group, from.name, given[group])
      ;(given[group] ??= []).push(l.name)
      l.order = from.order + 0.001 * (ids.length + 1)
      if (placedKind(l.kind)) l.position = l.position.map((v, k) => round(v + (offset[k] ?? 0), 0.001)) as V3
      delete l.locked
      delete l.link
      const id = free(taken, l.name)
      taken[id] = l
      ids.push(id)
      ops.push({ op: 'add', path: `/lights/${id}`, value: l })
    }
    edit(`${lights.length === 1 ? lights[0]?.name : `${lights.length} lights`} ${how}`, ops)
    chooseAll(ids)
  },
}
