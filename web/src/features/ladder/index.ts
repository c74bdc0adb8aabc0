import type { Feature } from '../../kernel/feature'
import { Ladder } from './Ladder'

/** ladder is the exposure beside the picture. */
export const ladder: Feature = { id: 'ladder', slots: { beside: Ladder } }
