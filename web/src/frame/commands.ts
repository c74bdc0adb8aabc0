import { deeds, kindNames, lockedLight, replace } from '../ledger/deeds'
import { pivotAt } from '../picture/navigate'
import { framed, type V3 } from '../picture/camera'
import { cameraNow, choose, chooseAll, moveCamera, stepBack, surround, toView, toggleAlone, useLook, type Way } from '../picture/look'
import { pictureId } from '../picture/crosshair'
import { surfacesStop } from '../picture/solid'
import { endTool, startTool, toolOf, tools, useTool, type ToolKind } from '../picture/tool'
import { wayOrder, waySpecs } from '../picture/ways'
import { figureOf, helper } from '../scene/acts'
import { useThings } from '../scene/things'
import { entries, hold, say, undo, useSetup } from '../setup/store'
import { standing } from '../setup/travel'
import { copyLights, pasteLights } from '../ledger/clipboard'
import { useAside } from '../snapshots/aside'
import { pinHere } from '../weigh/weighing'
import { openPanel } from './panels'
import { toggleBeside } from './panes'
import { nextAxes } from './SeeLine'
import { saveView, updateView } from './views'

/** A command of the application: everything that can be done without pointing. */
export interface Command {
  name: string
  /** As it is shown, and as a key event has it: "Ctrl D", "Shift B", "?". */
  keys: string
  area: 'Light' | 'Camera' | 'Picture' | 'Setup'
  run: () => void
  /** Whether it can be done now; the finder shows it paler if not. */
  able?: () => boolean
}

const look = useLook.getState
const picked = () => [...look().picked]
const some = () => look().picked.size > 0
const camera = () => cameraNow() !== null

const create = (kind: 'point' | 'spot' | 'rect' | 'disc' | 'line' | 'sun' | 'sky') => () => {
  const c = cameraNow()
  if (c) deeds.create(kind, c, pivotAt(c, 0.5, 0.5))
}

/** walkOrStop takes the arrow keys from whatever has them: they are the feet's. */
function walkOrStop() {
  ;(document.activeElement as HTMLElement | null)?.blur()
  useLook.setState((s) => ({ walking: !s.walking }))
}

/** frameChosen goes to where all that is chosen fits the picture. */
function frameChosen() {
  const doc = useSetup.getState().doc
  const c = cameraNow()
  if (!doc || !c) return
  const lo: V3 = [Infinity, Infinity, Infinity]
  const hi: V3 = [-Infinity, -Infinity, -Infinity]
  const take = (p: readonly number[], r: number) => {
    for (let k = 0; k < 3; k++) {
      lo[k] = Math.min(lo[k] as number, (p[k] ?? 0) - r)
      hi[k] = Math.max(hi[k] as number, (p[k] ?? 0) + r)
    }
  }
  for (const id of picked()) {
    const raw = doc.lights[id]
    const l = raw && standing(id, raw)
    if (l && l.kind !== 'sun' && l.kind !== 'sky' && l.kind !== 'emissive') take(l.position, 0.6)
  }
  for (const o of look().objects) {
    const t = useThings.getState().things[o]
    if (t) {
      take(t.lo, 0)
      take(t.hi, 0)
    }
  }
  if (!Number.isFinite(lo[0])) {
    say('Choose a light or an object first, then frame it.')
    return
  }
  moveCamera(framed(c, [(lo[0] + hi[0]) / 2, (lo[1] + hi[1]) / 2, (lo[2] + hi[2]) / 2], Math.hypot(hi[0] - lo[0], hi[1] - lo[1], hi[2] - lo[2]) / 2), false)
}

/** lookThrough stands at the chosen light and looks along it; the light then follows the eye until it is left. */
function lookThrough() {
  const { chosen, through } = look()
  if (through) {
    useLook.setState({ through: null })
    toView(useSetup.getState().view)
    return
  }
  const raw = chosen ? useSetup.getState().doc?.lights[chosen] : undefined
  const l = raw && chosen ? standing(chosen, raw) : undefined
  const c = cameraNow()
  if (!l || !c || !chosen || l.kind === 'sky' || l.kind === 'emissive' || l.kind === 'sun' || l.kind === 'point') {
    say('Choose a spot, panel or disc to look through.')
    return
  }
  moveCamera({ ...c, eye: l.position, aim: l.aim, roll: 0, fovY: l.kind === 'spot' ? Math.min(Math.max(2 * l.outer, 10), 110) : 70 }, false)
  useLook.setState({ through: chosen })
}

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

const stepStops = (by: number) => () => {
  const chosen = look().chosen
  const l = chosen ? useSetup.getState().doc?.lights[chosen] : undefined
  if (chosen && l) deeds.stops(chosen, l, l.stops + by, 'held')
}

/** helperHere makes a helper light for the figure that is chosen in the picture. */
function helperHere() {
  const things = useThings.getState().things
  const t = things[look().objects[0] ?? -1]
  if (!t) {
    say('Click the figure that bears the helper light first.')
    return
  }
  helper(figureOf(things, t), things)
}

/** lightsOut keeps the lights as a file that other programs read. */
function lightsOut() {
  const a = document.createElement('a')
  a.href = `/api/setups/${useSetup.getState().id}/lights.glb`
  a.download = ''
  a.click()
}

/** toolOn takes a tool in hand for the chosen light. */
function toolOn(kind: ToolKind) {
  const { chosen } = look()
  const doc = useSetup.getState().doc
  const l = chosen ? doc?.lights[chosen] : undefined
  if (!chosen || !doc || !l) say('Choose a light first, then place it by its result.')
  else if (lockedLight(doc, l)) say(`${l.name} is locked. Unlock it first (K).`)
  else if (!toolOf(kind)?.fits(l)) say(`${l.name} cannot be placed so: ${kind === 'fit' ? 'choose a panel' : kind === 'shadow' ? 'it casts no shadow' : 'it has no place of its own'}.`)
  else startTool(kind, chosen)
}

const splitOrder = ['none', 'wipe', 'side', 'other', 'difference'] as const

function nextSplit() {
  if (!useAside.getState().aside) {
    say('Keep a snapshot first, or choose one to compare with (Shift C).')
    openPanel('snapshots')
    return
  }
  useLook.setState((s) => ({ split: splitOrder[(splitOrder.indexOf(s.split) + 1) % splitOrder.length] }))
}

export const commands: Command[] = [
  { name: 'A third of a stop up', keys: '=', area: 'Light', run: stepStops(1 / 3), able: some },
  { name: 'A third of a stop down', keys: '-', area: 'Light', run: stepStops(-1 / 3), able: some },
  { name: 'Alone, or all together again', keys: 'A', area: 'Light', run: () => some() && toggleAlone(picked()), able: some },
  { name: 'Off, or on', keys: 'O', area: 'Light', run: () => some() && deeds.offAll(picked()), able: some },
  { name: 'Lock, or unlock', keys: 'K', area: 'Light', run: () => deeds.lock(picked()), able: some },
  { name: 'Look through the light', keys: 'L', area: 'Light', run: lookThrough, able: some },
  { name: 'Copy lights', keys: 'Ctrl C', area: 'Light', run: () => copyLights(picked()), able: some },
  { name: 'Paste lights', keys: 'Ctrl V', area: 'Light', run: pasteLights },
  { name: 'Duplicate beside itself', keys: 'Ctrl D', area: 'Light', run: () => deeds.duplicate(picked(), cameraNow()), able: some },
  { name: 'Remove lights', keys: 'Delete', area: 'Light', run: () => deeds.remove(picked()), able: some },
  { name: 'Group the chosen lights', keys: 'Ctrl G', area: 'Light', run: () => some() && deeds.newGroup(picked()), able: some },
  { name: 'Choose all lights', keys: 'Ctrl A', area: 'Light', run: () => chooseAll(Object.keys(useSetup.getState().doc?.lights ?? {})) },
  { name: 'New lamp (all round)', keys: 'N', area: 'Light', run: create('point'), able: camera },
  { name: 'New spot', keys: 'Shift N', area: 'Light', run: create('spot'), able: camera },
  { name: `New ${kindNames.rect.toLowerCase()}`, keys: '', area: 'Light', run: create('rect'), able: camera },
  { name: 'New disc', keys: '', area: 'Light', run: create('disc'), able: camera },
  { name: 'New line', keys: '', area: 'Light', run: create('line'), able: camera },
  { name: 'New sun', keys: '', area: 'Light', run: create('sun'), able: camera },
  { name: 'New sky', keys: '', area: 'Light', run: create('sky'), able: camera },
  ...tools.map((t): Command => ({ name: t.command, keys: t.keys, area: 'Light', run: () => toolOn(t.kind), able: some })),
  { name: 'Frame what is chosen', keys: 'F', area: 'Camera', run: frameChosen },
  { name: 'Back to where the eye was', keys: 'B', area: 'Camera', run: () => stepBack(), able: () => look().back.length > 0 },
  { name: 'Forward again', keys: 'Shift B', area: 'Camera', run: () => stepBack(true), able: () => look().forth.length > 0 },
  { name: 'Back to the saved view', keys: 'R', area: 'Camera', run: () => toView(useSetup.getState().view), able: () => look().camera !== null },
  { name: 'Save as a new view', keys: 'V', area: 'Camera', run: saveView, able: camera },
  { name: 'Update the view to here', keys: 'Shift V', area: 'Camera', run: updateView, able: () => look().camera !== null },
  { name: 'Surfaces stop the eye, or let it through', keys: '', area: 'Camera', run: () => surfacesStop(!look().solid) },
  { name: 'Walk, or stop walking', keys: 'W', area: 'Camera', run: walkOrStop, able: camera },
  { name: 'Point in the picture by the arrow keys', keys: '.', area: 'Picture', run: () => document.getElementById(pictureId)?.focus() },
  { name: 'Handles, or none', keys: 'H', area: 'Picture', run: () => useLook.setState((s) => ({ handles: !s.handles })) },
  { name: 'Arms along the next axes (world, light, view)', keys: 'Shift W', area: 'Picture', run: nextAxes },
  { name: 'The picture alone, or all of the frame', keys: 'X', area: 'Picture', run: () => toggleBeside('nothing') },
  { name: 'The picture with the Ledger as a strip', keys: 'Ctrl B', area: 'Picture', run: () => toggleBeside('strip') },
  { name: 'Thirds', keys: 'T', area: 'Picture', run: () => useLook.setState((s) => ({ thirds: !s.thirds })) },
  { name: 'Safe areas', keys: 'Shift T', area: 'Picture', run: () => useLook.setState((s) => ({ safe: !s.safe })) },
  { name: 'Hide the chosen objects', keys: 'J', area: 'Picture', run: hideObjects },
  { name: 'Show only the chosen objects', keys: 'I', area: 'Picture', run: isolateObjects },
  { name: 'Show every object', keys: 'Shift J', area: 'Picture', run: () => useLook.setState({ hidden: [], cut: 0 }), able: () => look().hidden.length > 0 || look().cut > 0 },
  { name: 'Pin a reading under the pointer', keys: 'P', area: 'Picture', run: pinHere },
  { name: 'Remove all pins', keys: 'Shift P', area: 'Picture', run: () => useLook.setState({ pins: [] }), able: () => look().pins.length > 0 },
  { name: 'Next way of seeing', keys: 'M', area: 'Picture', run: turnWay(1) },
  { name: 'Previous way of seeing', keys: 'Shift M', area: 'Picture', run: turnWay(-1) },
  ...wayOrder.map((w): Command => ({ name: `See: ${waySpecs[w].name.toLowerCase()}`, keys: w === 'picture' ? 'Shift F' : w === 'light' ? 'G' : w === 'mark' ? 'Shift G' : w === 'zones' ? 'Z' : w === 'clipped' ? 'Shift Z' : '', area: 'Picture', run: () => useLook.setState({ way: w }) })),
  { name: 'A third of a stop brighter', keys: '[', area: 'Picture', run: expose(-1 / 3), able: camera },
  { name: 'A third of a stop darker', keys: ']', area: 'Picture', run: expose(1 / 3), able: camera },
  { name: 'Light or dark surround', keys: 'U', area: 'Picture', run: () => surround(!look().light) },
  { name: 'Compare: next way of showing both', keys: 'C', area: 'Picture', run: nextSplit, able: () => useAside.getState().aside !== null },
  { name: 'Flip between the two compared', keys: 'Shift X', area: 'Picture', run: () => useLook.setState((s) => ({ split: s.split === 'other' ? 'none' : 'other' })), able: () => useAside.getState().aside !== null },
  { name: 'Snapshots: keep, compare, bring back', keys: 'Shift C', area: 'Setup', run: () => openPanel('snapshots') },
  { name: 'Who lights whom: channels', keys: 'Shift Y', area: 'Setup', run: () => openPanel('channels') },
  { name: 'Plot: plan and section of a figure', keys: 'Shift L', area: 'Setup', run: () => openPanel('plot') },
  { name: 'Rigs and moods', keys: 'Shift R', area: 'Setup', run: () => openPanel('rigs') },
  { name: 'Snags: what the checks found', keys: 'Shift S', area: 'Setup', run: () => openPanel('snags') },
  { name: 'Helper light for the chosen figure', keys: '', area: 'Light', run: helperHere, able: () => look().objects.length > 0 },
  { name: 'Link the chosen lights', keys: 'Ctrl L', area: 'Light', run: () => deeds.link(picked()), able: () => look().picked.size > 1 },
  { name: 'Lights as a glTF file', keys: '', area: 'Setup', run: lightsOut },
  { name: 'Setups: open, name, put away, remove', keys: 'Shift U', area: 'Setup', run: () => openPanel('setups') },
  { name: 'History', keys: 'Y', area: 'Setup', run: () => openPanel('history') },
  { name: 'Undo', keys: 'Ctrl Z', area: 'Setup', run: () => undo() },
  { name: 'Redo', keys: 'Ctrl Shift Z', area: 'Setup', run: () => undo(true) },
  { name: 'Find a command', keys: '/', area: 'Setup', run: () => useLook.setState({ finder: true }) },
  { name: 'All keys', keys: '?', area: 'Setup', run: () => useLook.setState((s) => ({ sheet: !s.sheet })) },
]

/** Keys that belong to the pointer or to a row, told on the sheet beside the commands. */
export const handKeys: [string, string][] = [
  ['Right drag', 'turn round what is under the pointer (or Space and drag)'],
  ['Shift right drag', 'slide (or drag with the wheel pressed)'],
  ['Ctrl right drag', 'look about'],
  ['Wheel', 'go towards what is under the pointer; with Shift the focal length'],
  ['Click', 'choose a light or an object; with Shift one more'],
  ['S while moving', 'put the light on the surface under the pointer'],
  ['Q held', 'weigh the point under the pointer'],
  ['Arrow keys', 'Ledger: rows, and a third of a stop (Shift: a tenth); walking: go, with . and , up and down'],
  ['Enter, F2', 'Ledger: open the row, rename'],
  ['1 … 9', 'show a view'],
  ['Arrows in the picture', 'a pointer: Enter clicks, Space presses and lets go, Shift for small steps'],
  ['Esc', 'end a drag, walking, alone; choose nothing'],
]

/** keyOf writes a key event as commands have it. */
export function keyOf(e: KeyboardEvent): string {
  const k = e.key.length === 1 ? e.key.toUpperCase() : e.key
  const shifted = e.shiftKey && (/^[A-Z]$/.test(k) || e.key.length > 1)
  return `${e.ctrlKey || e.metaKey ? 'Ctrl ' : ''}${shifted ? 'Shift ' : ''}${k}`
}

export function runKey(e: KeyboardEvent): boolean {
  const key = keyOf(e)
  const c = commands.find((c) => c.keys === key)
  if (c) {
    c.run()
    return true
  }
  if (/^[1-9]$/.test(e.key) && !e.ctrlKey && !e.metaKey) {
    const doc = useSetup.getState().doc
    const v = doc && entries(doc.views)[Number(e.key) - 1]
    if (v) toView(v[0])
    return Boolean(v)
  }
  if (e.key === 'Escape') {
    const l = look()
    if (useTool.getState().kind) endTool()
    else if (l.walking) useLook.setState({ walking: false })
    else if (l.alone.size) useLook.setState({ alone: new Set() })
    else {
      choose(null)
      useLook.setState({ objects: [] })
    }
    return true
  }
  return false
}
