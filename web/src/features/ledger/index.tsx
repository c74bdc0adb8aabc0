import { Sun } from '@phosphor-icons/react/dist/csr/Sun'
import type { Feature } from '../../kernel/feature'
import { useSetup } from '../../kernel/store'
import { commands } from './commands'
import { Ledger } from './Ledger'

/** ledger is the step of lighting: the one list of lights, with what each gives and costs. */
export const ledger: Feature = {
  id: 'ledger',
  step: {
    id: 'light',
    name: 'Light',
    icon: Sun,
    useSays: () => {
      const lights = useSetup((s) => Object.values(s.doc?.lights ?? {}).length)
      const off = useSetup((s) => Object.values(s.doc?.lights ?? {}).filter((l) => l.off).length)
      return `${lights} lights${off ? `, ${off} off` : ''}`
    },
    side: ({ warmth, slim }) => (warmth ? <Ledger warmth={warmth} slim={slim} /> : <section className="ledger" aria-label="Ledger" />),
  },
  commands,
  hands: [
    ['Arrow keys', 'Ledger: rows, and a third of a stop (Shift: a tenth); walking: go, with . and , up and down'],
    ['Enter, F2', 'Ledger: open the row, rename'],
    ['Ctrl Up, Ctrl Down', 'Ledger: move the light by a row, also into another group'],
  ],
}
