import { features, type Command } from '../kernel/feature'
import { choose, toView, useLook } from '../kernel/look'
import { toggleBeside } from '../kernel/panes'
import { openPanel } from '../kernel/panels'
import { entries, undo, useSetup } from '../kernel/store'
import { pictureId } from '../picture/crosshair'
import { endTool, useTool } from '../picture/tool'
import './features'

const look = useLook.getState

const own: Command[] = [
  { name: 'Undo', keys: 'Ctrl Z', area: 'Setup', run: () => undo() },
  { name: 'Redo', keys: 'Ctrl Shift Z', area: 'Setup', run: () => undo(true) },
  { name: 'Find a command', keys: '/', area: 'Setup', run: () => useLook.setState({ finder: true }) },
  { name: 'All keys', keys: '?', area: 'Setup', run: () => useLook.setState((s) => ({ sheet: !s.sheet })) },
  { name: 'Point in the picture by the arrow keys', keys: '.', area: 'Picture', run: () => document.getElementById(pictureId)?.focus() },
  { name: 'The picture alone, or all of the frame', keys: 'X', area: 'Picture', run: () => toggleBeside('nothing') },
  { name: 'The picture with the Ledger as a strip', keys: 'Ctrl B', area: 'Picture', run: () => toggleBeside('strip') },
]

/** commands are all that can be done: those of the features, their panels, and of the frame. */
export const commands: Command[] = [
  ...features.flatMap((f) => f.commands ?? []),
  ...features.flatMap((f) => f.panels ?? []).map((p): Command => ({ name: p.command, keys: p.keys, area: 'Setup', run: () => openPanel(p.id) })),
  ...own,
]

/** handKeys belong to the pointer or to a row; they are told on the sheet beside the commands. */
export const handKeys = features.flatMap((f) => f.hands ?? [])

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
    else if (l.weighs) useLook.setState({ weighs: false, weighing: null })
    else if (l.alone.size) useLook.setState({ alone: new Set() })
    else {
      choose(null)
      useLook.setState({ objects: [] })
    }
    return true
  }
  return false
}
