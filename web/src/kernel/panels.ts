import { create } from 'zustand'
import { panels } from './feature'

/** panelOf is the panel that an address names, or null: such a window shows nothing else. */
export function panelOf(search: string): string | null {
  const p = new URLSearchParams(search).get('panel')
  return panels().some((q) => q.id === p) ? p : null
}

/** usePanel is the open panel, by its id. */
export const usePanel = create<{ panel: string | null }>(() => ({ panel: null }))

/** openPanel shows a panel, or closes it if it is shown. */
export const openPanel = (p: string) => usePanel.setState((s) => ({ panel: s.panel === p ? null : p }))

/** ownWindow moves a panel to a window of its own, for a second screen. */
export function ownWindow(p: string, setup: number) {
  window.open(`/s/${setup}?panel=${p}`, `willowherb-${p}`, 'popup,width=520,height=760')
  usePanel.setState({ panel: null })
}
