import { create } from 'zustand'

/** Panel is what the space over the right side shows besides the step itself. */
export type Panel = 'history' | 'snapshots' | 'channels' | 'snags' | 'plot' | 'rigs' | 'setups' | null

export const usePanel = create<{ panel: Panel }>(() => ({ panel: null }))

/** openPanel shows a panel, or closes it if it is shown. */
export const openPanel = (p: Panel) => usePanel.setState((s) => ({ panel: s.panel === p ? null : p }))
