import { create } from 'zustand'
import type { Light, PlaceAsk } from '../api.gen'
import { draft } from '../kernel/store'

/** What the next click in the picture does, instead of choosing. */
export type ToolKind = PlaceAsk['how'] | 'colour' | 'neutral' | 'balls' | 'focus'

interface Tool {
  kind: ToolKind | null
  /** The light that it is for. */
  light: string | null
  /** What has been clicked already: what casts the shadow, or the spot to hold. */
  first: { x: number; y: number } | null
  /** What it would do at the pointer, or why it cannot. */
  words: string
  able: boolean
}

const idle = { kind: null, light: null, first: null, words: '', able: true }

export const useTool = create<Tool>(() => idle)

export interface ToolSpec {
  kind: ToolKind
  /** On its button, in the finder, and what to do first and then. */
  name: string
  command: string
  keys: string
  ask: string
  then?: string
  /** What undo will call it. */
  done: string
  fits: (l: Light) => boolean
}

const placed = (l: Light) => l.kind !== 'sky' && l.kind !== 'emissive'

export const tools: ToolSpec[] = [
  { kind: 'highlight', name: 'highlight', command: 'Place: land a highlight', keys: 'E', ask: 'Click where the highlight must fall', done: 'highlight landed', fits: placed },
  { kind: 'shadow', name: 'shadow', command: 'Place: land a shadow', keys: 'Shift E', ask: 'Click the edge of what casts the shadow', then: 'Click where that edge must fall', done: 'shadow landed', fits: (l) => placed(l) && l.shadow },
  { kind: 'graze', name: 'graze', command: 'Place: graze an edge', keys: 'D', ask: 'Click the outline that the rim must wrap', done: 'grazes an edge', fits: placed },
  { kind: 'aim', name: 'aim', command: 'Place: light this from there', keys: 'Shift D', ask: 'Click what it must light from where it is', done: 'aimed', fits: (l) => placed(l) && l.kind !== 'sun' },
  { kind: 'fit', name: 'opening', command: 'Place: fit an opening', keys: 'Shift O', ask: 'Click into a window or a door', done: 'fitted to an opening', fits: (l) => l.kind === 'rect' },
  { kind: 'mirror', name: 'mirror', command: 'Place: mirror across the subject', keys: 'Shift K', ask: 'Click the subject', done: 'mirrored', fits: placed },
  { kind: 'beam', name: 'beam', command: 'Place: let the sun’s beam fall there', keys: '', ask: 'Click where the sun’s beam must fall', done: 'lets its beam fall there', fits: (l) => l.kind === 'sun' },
  { kind: 'hold', name: 'hold', command: 'Place: same brightness at a new distance', keys: 'Shift H', ask: 'Click the spot that must stay as bright', then: 'Move left for nearer, right for farther, and click', done: 'at a new distance, as bright', fits: (l) => placed(l) && l.kind !== 'sun' },
]

export const toolOf = (kind: ToolKind | null) => tools.find((t) => t.kind === kind)

/** startTool takes a tool in hand for a light; a second time puts it down. */
export function startTool(kind: ToolKind, light: string | null) {
  const s = useTool.getState()
  if (s.kind === kind && s.light === light) endTool()
  else {
    if (s.kind) draft([])
    useTool.setState({ ...idle, kind, light })
  }
}

/** endTool puts the tool down, and what it only showed goes with it. */
export function endTool(keep = false) {
  if (useTool.getState().kind && !keep) draft([])
  useTool.setState(idle)
}

/** toolLine is the id of the place under the picture where a tool says what it does. */
export const toolLine = 'tool-line'
