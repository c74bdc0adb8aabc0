import { create } from 'zustand'

/** Panels are what stands beside the Ledger when it is asked for: under it, in a column of its own, or in a window of its own. */
export const panelNames = { history: 'History', snapshots: 'Snapshots', channels: 'Who lights whom', snags: 'Snags', plot: 'Plot', rigs: 'Rigs', setups: 'Setups' } as const

export type PanelName = keyof typeof panelNames

export type Panel = PanelName | null

/** panelOf is the panel that an address names: such a window shows nothing else. */
export function panelOf(search: string): Panel {
  const p = new URLSearchParams(search).get('panel')
  return p && p in panelNames ? (p as PanelName) : null
}

export const usePanel = create<{ panel: Panel }>(() => ({ panel: null }))

/** openPanel shows a panel, or closes it if it is shown. */
export const openPanel = (p: Panel) => usePanel.setState((s) => ({ panel: s.panel === p ? null : p }))

/** ownWindow moves a panel to a window of its own, for a second screen. */
export function ownWindow(p: PanelName, setup: number) {
  window.open(`/s/${setup}?panel=${p}`, `willowherb-${p}`, 'popup,width=520,height=760')
  usePanel.setState({ panel: null })
}
