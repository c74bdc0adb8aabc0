import type { Feature } from '../../kernel/feature'
import { Cards } from './Cards'
import { commands } from './commands'
import { PinMarks } from './PinMarks'

/** weigh is what lights a point, and readings that are pinned. */
export const weigh: Feature = {
  id: 'weigh',
  slots: { below: Cards },
  overlay: PinMarks,
  commands,
  hands: [['Q held', 'weigh the point under the pointer']],
}
