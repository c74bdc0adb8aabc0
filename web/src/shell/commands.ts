import { createKeybindingsHandler } from 'tinykeys'
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

/** bindings are how the library of shortcuts writes a command's keys. A sign may need Shift on one keyboard and not on another. */
export function bindings(keys: string): string[] {
  const parts = keys.split(' ')
  const key = parts.pop() ?? ''
  const held = parts.map((p) => (p === 'Ctrl' ? '$mod' : p))
  const plain = [...held, key].join('+')
  return /^[A-Z]$/.test(key) || key.length > 1 ? [plain] : [plain, [...held, 'Shift', key].join('+')]
}

/** leave goes one step back: out of the tool, of walking, of weighing, of what is alone, of what is chosen. */
function leave() {
  const l = look()
  if (useTool.getState().kind) endTool()
  else if (l.walking) useLook.setState({ walking: false })
  else if (l.weighs) useLook.setState({ weighs: false, weighing: null })
  else if (l.alone.size) useLook.setState({ alone: new Set() })
  else {
    choose(null)
    useLook.setState({ objects: [] })
  }
}

/** toNumbered goes to the view with that number. */
function toNumbered(n: number): boolean {
  const doc = useSetup.getState().doc
  const v = doc && entries(doc.views)[n - 1]
  if (v) toView(v[0])
  return Boolean(v)
}

type Run = (e: KeyboardEvent) => void

const taken = (run: () => unknown): Run => (e) => {
  if (run() !== false) e.preventDefault()
}

const map: Record<string, Run> = {
  ...Object.fromEntries(commands.filter((c) => c.keys).flatMap((c) => bindings(c.keys).map((b) => [b, taken(() => void c.run())]))),
  ...Object.fromEntries([1, 2, 3, 4, 5, 6, 7, 8, 9].map((n) => [String(n), taken(() => toNumbered(n))])),
  Escape: taken(leave),
}

/** runKey does what a key is for; what it does with it, the browser does not. */
export const runKey = createKeybindingsHandler(map)
