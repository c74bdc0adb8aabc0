import type { Command } from '../../kernel/feature'
import { replace } from '../../kernel/lightEdits'
import { cameraNow, surround, useLook, type Way } from '../../kernel/look'
import { hold, say, useSetup } from '../../kernel/store'
import { useThings } from '../../kernel/things'
import { wayOrder, waySpecs } from '../../picture/ways'
import { nextAxes } from './SeeLine'

const look = useLook.getState
const camera = () => cameraNow() !== null

function hideObjects() {
  const things = useThings.getState().things
  const paths = look().objects.flatMap((o) => (things[o] ? [things[o].path] : []))
  if (paths.length === 0) {
    say('Click an object in the picture first.')
    return
  }
  useLook.setState((s) => ({ hidden: [...new Set([...s.hidden, ...paths])], objects: [] }))
}

function isolateObjects() {
  const { things } = useThings.getState()
  const keep = new Set(look().objects)
  if (keep.size === 0) {
    say('Click an object in the picture first.')
    return
  }
  useLook.setState({ hidden: [...new Set(things.filter((_, i) => !keep.has(i)).map((t) => t.path))] })
}

const turnWay = (by: number) => () => {
  const i = wayOrder.indexOf(look().way)
  useLook.setState({ way: wayOrder[(i + by + wayOrder.length) % wayOrder.length] as Way })
}

const expose = (by: number) => () => {
  const s = useSetup.getState()
  const v = s.doc?.views[s.view]
  if (!v) return
  const ev = Math.round((v.ev + by) * 100) / 100
  hold(`${v.name} exposure EV ${ev.toFixed(1)}`, [replace(`/views/${s.view}/ev`, ev)])
}

/** commands of how the picture is seen. */
export const commands: Command[] = [
  { name: 'Handles, or none', keys: 'H', area: 'Picture', run: () => useLook.setState((s) => ({ handles: !s.handles })) },
  { name: 'Arms along the next axes (world, light, view)', keys: 'Shift W', area: 'Picture', run: nextAxes },
  { name: 'Thirds', keys: 'T', area: 'Picture', run: () => useLook.setState((s) => ({ thirds: !s.thirds })) },
  { name: 'Safe areas', keys: 'Shift T', area: 'Picture', run: () => useLook.setState((s) => ({ safe: !s.safe })) },
  { name: 'Hide the chosen objects', keys: 'J', area: 'Picture', run: hideObjects },
  { name: 'Show only the chosen objects', keys: 'I', area: 'Picture', run: isolateObjects },
  { name: 'Show every object', keys: 'Shift J', area: 'Picture', run: () => useLook.setState({ hidden: [], cut: 0 }), able: () => look().hidden.length > 0 || look().cut > 0 },
  { name: 'Next way of seeing', keys: 'M', area: 'Picture', run: turnWay(1) },
  { name: 'Previous way of seeing', keys: 'Shift M', area: 'Picture', run: turnWay(-1) },
  ...wayOrder.map((w): Command => ({ name: `See: ${waySpecs[w].name.toLowerCase()}`, keys: w === 'picture' ? 'Shift F' : w === 'light' ? 'G' : w === 'mark' ? 'Shift G' : w === 'zones' ? 'Z' : w === 'clipped' ? 'Shift Z' : '', area: 'Picture', run: () => useLook.setState({ way: w }) })),
  { name: 'A third of a stop brighter', keys: '[', area: 'Picture', run: expose(-1 / 3), able: camera },
  { name: 'A third of a stop darker', keys: ']', area: 'Picture', run: expose(1 / 3), able: camera },
  { name: 'Light or dark surround', keys: 'U', area: 'Picture', run: () => surround(!look().light) },
]
