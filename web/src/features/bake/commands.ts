import type { Command } from '../../kernel/feature'
import { goToStep } from '../../kernel/panes'
import { addMirror, before } from './bakeEdits'
import { startBake, turnBake } from './queries'
import { showBake, shows, useBakeView } from './state'
import { told } from '../../kernel/told'

/** commands of the bake. */
export const commands: Command[] = [
  { name: 'Bake: lightmap, probes and what the target shows', keys: '', area: 'Setup', run: () => goToStep('bake') },
  ...['draft', 'review', 'final'].map((q): Command => ({ name: `Bake at ${q} quality`, keys: '', area: 'Setup', run: () => told(startBake(q)) })),
  { name: 'Pause the bake', keys: '', area: 'Setup', run: () => told(turnBake('pause')) },
  { name: 'Go on with the bake', keys: '', area: 'Setup', run: () => told(turnBake('resume')) },
  { name: 'Stop the bake', keys: '', area: 'Setup', run: () => told(turnBake('stop')) },
  ...shows.map(
    ([id, name]): Command => ({
      name: `Bake: ${name} over the picture`,
      keys: '',
      area: 'Picture',
      run: () => {
        goToStep('bake')
        showBake(id)
      },
    }),
  ),
  { name: 'Bake: set the probe ball before the eye', keys: '', area: 'Picture', run: () => useBakeView.setState({ ball: before(4) }) },
  { name: 'Bake: a reflection probe before the eye', keys: '', area: 'Setup', run: addMirror },
]
