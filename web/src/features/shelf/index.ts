import type { Feature } from '../../kernel/feature'
import { Shelf } from './Shelf'

/** shelf is the same light in all views at once. */
export const shelf: Feature = { id: 'shelf', slots: { shelf: Shelf } }
