import { Swatches } from '@phosphor-icons/react/dist/csr/Swatches'
import { lazy } from 'react'
import type { Feature } from '../../kernel/feature'
import { changesGo, newLook, nextLook } from '../../kernel/lookEdits'
import { useSetup } from '../../kernel/store'
import { askFor } from '../../ui/askFor'
import { Worn } from './Worn'

const Body = lazy(() => import('./LookPanel').then((m) => ({ default: m.LookPanel })))

const worn = () => Boolean(useSetup.getState().bare?.look)

/** looks are whole moods: what each has otherwise than the setup, told in a sentence, shown side by side, blended. */
export const looks: Feature = {
  id: 'looks',
  panels: [{ id: 'looks', name: 'Looks', command: 'Looks: moods of the same setup', keys: 'Shift A', icon: Swatches, body: () => <Body /> }],
  slots: { top: Worn },
  commands: [
    { name: 'Next look', keys: '', area: 'Setup', run: nextLook },
    { name: 'New look of what is shown …', keys: '', area: 'Setup', run: () => askFor('Name of the new look', '', newLook) },
    { name: 'Changes go to this look, or to every look', keys: '', area: 'Setup', run: () => changesGo(!useSetup.getState().alone), able: worn },
  ],
}
