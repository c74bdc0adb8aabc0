import type { Route, Rules } from '../../api.gen'
import { sent } from '../../kernel/client'
import { cameraNow } from '../../kernel/look'
import { edit, say, useSetup, type Op } from '../../kernel/store'
import { free } from '../../kernel/lightEdits'
import { useRoute } from './state'

/** standardRoute is how a route begins; the same as the core's. */
export const standardRoute: Route = { name: 'Route', order: 0, stops: [], speed: 1.4, eye: 1.6, fovY: 46, ahead: 3, adapts: true, rules: { figure: 0.5, path: 0, exit: 0, lux: 0.5, dark: 0.7, bright: 0.2, swing: 3, ms: 0 } }

/** under is the ground under the eye, as the route's walker would stand there. */
function under(eye: number): [number, number, number] | null {
  const c = cameraNow()
  return c ? [c.eye[0], Math.round((c.eye[1] - eye) * 100) / 100, c.eye[2]] : null
}

/** onGround is the ground at a place of the plan. */
export async function onGround(at: [number, number, number]): Promise<[number, number, number]> {
  const id = useSetup.getState().id
  const g = await sent<[number, number, number]>(`/api/setups/${id ?? 0}/ground`, 'POST', at.map((v) => Math.round(v * 100) / 100))
  return g
}

/** addRoute begins a route where the eye stands. */
export function addRoute() {
  const doc = useSetup.getState().doc
  const at = under(standardRoute.eye)
  if (!doc || !at) return
  const id = free(doc.routes ?? {}, 'Route')
  const order = Math.max(0, ...Object.values(doc.routes ?? {}).map((r) => r.order + 1))
  const ops: Op[] = [{ op: 'add', path: `/routes/${id}`, value: { ...standardRoute, order, stops: [{ at }] } }]
  edit('Route begun', ops)
  useRoute.setState({ route: id, step: -1 })
  say('Go to the next place and press “a stop here”.')
}

/** setRoute changes a route's numbers. */
export const setRoute = (id: string, r: Route, change: Partial<Route>, words: string) => edit(`${r.name}: ${words}`, [{ op: 'replace', path: `/routes/${id}`, value: { ...r, ...change } }])

/** setRule changes one of its rules. */
export const setRule = (id: string, r: Route, change: Partial<Rules>, words: string) => setRoute(id, r, { rules: { ...r.rules, ...change } }, words)

/** addStop puts a stop where the eye stands, after the others. */
export function addStop(id: string, r: Route) {
  const at = under(r.eye)
  if (at) setRoute(id, r, { stops: [...r.stops, { at }] }, `stop ${r.stops.length + 1}`)
}

/** removeRoute takes a route away. */
export const removeRoute = (id: string, r: Route) => edit(`${r.name} removed`, [{ op: 'remove', path: `/routes/${id}` }])
