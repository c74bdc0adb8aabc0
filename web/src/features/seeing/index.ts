import type { Feature } from '../../kernel/feature'
import { commands } from './commands'
import { SeeLine, SeeTools } from './SeeLine'

/** seeing is how the picture is seen: its ways, guides, and what lies under the pointer. */
export const seeing: Feature = {
  id: 'seeing',
  slots: { overRight: SeeTools, under: SeeLine },
  commands,
  hands: [
    ['Click', 'choose a light or an object; with Shift one more'],
    ['S while moving', 'put the light on the surface under the pointer'],
    ['Arrows in the picture', 'a pointer: Enter clicks, Space presses and lets go, Shift for small steps'],
    ['Esc', 'end a drag, walking, alone; choose nothing'],
  ],
}
