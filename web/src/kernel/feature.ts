import type { ComponentType } from 'react'
import type { Light, Setup, Warmth } from '../api.gen'
import type { Camera, V3 } from './camera'

/** Command is what can be done without pointing. */
export interface Command {
  name: string
  /** As it is shown, and as a key event has it: "Ctrl D", "Shift B", "?". */
  keys: string
  area: Area
  run: () => void
  /** Whether it can be done now; the finder shows it paler if not. */
  able?: () => boolean
}

/** areas are what commands are sorted by on the sheet of keys. */
export const areas = ['Light', 'Camera', 'Picture', 'Setup'] as const
/** Area is one of them. */
export type Area = (typeof areas)[number]

/** Icon is drawn at a size in pixels. */
export type Icon = ComponentType<{ size?: number }>

/** Step is a step of the round: what the right side shows while it is taken. */
export interface Step {
  id: string
  name: string
  icon: Icon
  /** What its tip says; a hook. */
  useSays: () => string
  side: ComponentType<{ warmth: Warmth | undefined; slim: boolean }>
}

/** Panel is what stands beside the step when it is asked for: under it, in a column of its own, or in a window of its own. */
export interface Panel {
  id: string
  name: string
  /** Its command's words. */
  command: string
  keys: string
  /** In the top bar; none for what is opened from elsewhere. */
  icon?: Icon
  body: ComponentType<{ warmth: Warmth | undefined }>
  /** What its icon counts; a hook. */
  useCount?: () => string
}

/** Places of the frame that features fill. */
export type Slot =
  | 'top' // in the top bar, after the setup's name
  | 'shelf' // over the picture: what may be looked at
  | 'over' // in the line over the picture
  | 'overRight' // at its right end
  | 'beside' // at the left of the picture
  | 'under' // in the line under the picture
  | 'below' // cards under that line
  | 'bottom' // along the lower edge

/** OverlayProps are what is drawn over the picture with: at tells where a place lies in it, in pixels. */
export interface OverlayProps {
  camera: Camera
  doc: Setup
  width: number
  height: number
  at: (p: V3) => { x: number; y: number } | null
}

/** Feature is a part of the bench that is simply added to it. */
export interface Feature {
  id: string
  step?: Step
  panels?: Panel[]
  commands?: Command[]
  /** Keys that belong to the pointer or to a row, told on the sheet beside the commands. */
  hands?: [string, string][]
  slots?: Partial<Record<Slot, ComponentType<{ warmth: Warmth }>>>
  /** SVG over the picture. */
  overlay?: ComponentType<OverlayProps>
  /** A part of an opened light. */
  lightPart?: ComponentType<{ id: string; l: Light }>
}

/** features are all there are, in the order in which they are shown; the shell fills them in. */
export const features: Feature[] = []

/** panels are the panels of all features. */
export const panels = (): Panel[] => features.flatMap((f) => f.panels ?? [])

/** steps are the steps of the round. */
export const steps = (): Step[] => features.flatMap((f) => (f.step ? [f.step] : []))
