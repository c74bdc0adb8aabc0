/** The setup as this window has it: its state, the edits that change it, and the news of it. */
export * from './state'
export * from './edits'
export * from './news'
