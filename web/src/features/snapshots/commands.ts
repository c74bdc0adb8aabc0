import { useComparison } from '../../kernel/comparison'
import type { Command } from '../../kernel/feature'
import { useLook } from '../../kernel/look'
import { openPanel } from '../../kernel/panels'
import { say } from '../../kernel/store'


const splitOrder = ['none', 'wipe', 'side', 'other', 'difference'] as const

function nextSplit() {
  if (!useComparison.getState().compared) {
    say('Keep a snapshot first, or choose one to compare with (Shift C).')
    openPanel('snapshots')
    return
  }
  useLook.setState((s) => ({ split: splitOrder[(splitOrder.indexOf(s.split) + 1) % splitOrder.length] }))
}

/** commands of comparing. */
export const commands: Command[] = [
  { name: 'Compare: next way of showing both', keys: 'C', area: 'Picture', run: nextSplit, able: () => useComparison.getState().compared !== null },
  { name: 'Flip between the two compared', keys: 'Shift X', area: 'Picture', run: () => useLook.setState((s) => ({ split: s.split === 'other' ? 'none' : 'other' })), able: () => useComparison.getState().compared !== null },
]
