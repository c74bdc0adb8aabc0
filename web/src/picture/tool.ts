import { create } from 'zustand'

/** What the next click in the picture does, instead of choosing. */
export type ToolKind = 'colour' | 'highlight' | 'shadow' | 'graze' | 'aim' | 'fit' | 'mirror' | 'hold' | 'subject'

interface Tool {
  kind: ToolKind | null
  /** The light that it is for. */
  light: string | null
  /** What has been clicked already: shadows want what casts, then where its edge falls. */
  first: { x: number; y: number } | null
  /** What it would do at the pointer, or why it cannot. */
  words: string
  able: boolean
}

export const useTool = create<Tool>(() => ({ kind: null, light: null, first: null, words: '', able: true }))

export const startTool = (kind: ToolKind, light: string | null) => useTool.setState((s) => (s.kind === kind && s.light === light ? { kind: null, light: null, first: null, words: '' } : { kind, light, first: null, words: '', able: true }))

export const endTool = () => useTool.setState({ kind: null, light: null, first: null, words: '' })
