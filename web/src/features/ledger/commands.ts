import type { Command } from '../../kernel/feature'
import { kindNames, lightEdits, lockedLight } from '../../kernel/lightEdits'
import { cameraNow, chooseAll, moveCamera, toView, toggleAlone, useLook } from '../../kernel/look'
import { say, useSetup } from '../../kernel/store'
import { standing } from '../../kernel/travel'
import { pivotAt } from '../../picture/navigate'
import { startTool, toolOf, tools, type ToolKind } from '../../picture/tool'
import { findBox } from './LedgerTools'
import { copyLights, pasteLights } from './clipboard'

const look = useLook.getState
const picked = () => [...look().picked]
const some = () => look().picked.size > 0
const camera = () => cameraNow() !== null

const create = (kind: 'point' | 'spot' | 'rect' | 'disc' | 'line' | 'sun' | 'sky') => () => {
  const c = cameraNow()
  if (c) lightEdits.create(kind, c, pivotAt(c, 0.5, 0.5))
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

const stepStops = (by: number) => () => {
  const chosen = look().chosen
  const l = chosen ? useSetup.getState().doc?.lights[chosen] : undefined
  if (chosen && l) lightEdits.stops(chosen, l, l.stops + by, 'held')
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

/** commands of lights. */
export const commands: Command[] = [
  { name: 'Find lights', keys: 'Ctrl F', area: 'Light', run: () => document.querySelector<HTMLElement>(`#${findBox} input, input#${findBox}`)?.focus() },
  { name: 'A third of a stop up', keys: '=', area: 'Light', run: stepStops(1 / 3), able: some },
  { name: 'A third of a stop down', keys: '-', area: 'Light', run: stepStops(-1 / 3), able: some },
  { name: 'Alone, or all together again', keys: 'A', area: 'Light', run: () => some() && toggleAlone(picked()), able: some },
  { name: 'Off, or on', keys: 'O', area: 'Light', run: () => some() && lightEdits.offAll(picked()), able: some },
  { name: 'Lock, or unlock', keys: 'K', area: 'Light', run: () => lightEdits.lock(picked()), able: some },
  { name: 'Look through the light', keys: 'L', area: 'Light', run: lookThrough, able: some },
  { name: 'Copy lights', keys: 'Ctrl C', area: 'Light', run: () => copyLights(picked()), able: some },
  { name: 'Paste lights', keys: 'Ctrl V', area: 'Light', run: pasteLights },
  { name: 'Duplicate beside itself', keys: 'Ctrl D', area: 'Light', run: () => lightEdits.duplicate(picked(), cameraNow()), able: some },
  { name: 'Remove lights', keys: 'Delete', area: 'Light', run: () => lightEdits.remove(picked()), able: some },
  { name: 'Group the chosen lights', keys: 'Ctrl G', area: 'Light', run: () => some() && lightEdits.newGroup(picked()), able: some },
  { name: 'Choose all lights', keys: 'Ctrl A', area: 'Light', run: () => chooseAll(Object.keys(useSetup.getState().doc?.lights ?? {})) },
  { name: 'New lamp (all round)', keys: 'N', area: 'Light', run: create('point'), able: camera },
  { name: 'New spot', keys: 'Shift N', area: 'Light', run: create('spot'), able: camera },
  { name: `New ${kindNames.rect.toLowerCase()}`, keys: '', area: 'Light', run: create('rect'), able: camera },
  { name: 'New disc', keys: '', area: 'Light', run: create('disc'), able: camera },
  { name: 'New line', keys: '', area: 'Light', run: create('line'), able: camera },
  { name: 'New sun', keys: '', area: 'Light', run: create('sun'), able: camera },
  { name: 'New sky', keys: '', area: 'Light', run: create('sky'), able: camera },
  ...tools.map((t): Command => ({ name: t.command, keys: t.keys, area: 'Light', run: () => toolOn(t.kind), able: some })),
  { name: 'Link the chosen lights', keys: 'Ctrl L', area: 'Light', run: () => lightEdits.link(picked()), able: () => look().picked.size > 1 },
  { name: 'Lights as a glTF file', keys: '', area: 'Setup', run: lightsOut },
]
