import type { Feature } from '../../kernel/feature'
import { Budget } from './Budget'

/** budget is what the frame is spent on. */
export const budget: Feature = { id: 'budget', slots: { bottom: Budget } }
