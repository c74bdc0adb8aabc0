import type { Feature } from '../../kernel/feature'
import { commands } from './commands'
import { ViewLine } from './ViewLine'

/** views is where the eye stands, and the views that are kept of it. */
export const views: Feature = {
  id: 'views',
  slots: { over: ViewLine },
  commands,
  hands: [
    ['Right drag', 'turn round what is under the pointer (or Space and drag)'],
    ['Shift right drag', 'slide (or drag with the wheel pressed)'],
    ['Ctrl right drag', 'look about'],
    ['Wheel', 'go towards what is under the pointer; with Shift the focal length'],
    ['1 … 9', 'show a view'],
  ],
}
