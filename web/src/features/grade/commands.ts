import type { Command } from '../../kernel/feature'
import { leaveGrade } from '../../kernel/gradeEdits'
import { goToStep } from '../../kernel/panes'
import { useSetup } from '../../kernel/store'
import { startTool } from '../../picture/tool'

/** commands of the picture's grade. */
export const commands: Command[] = [
  { name: 'Picture: exposure, white balance, contrast, colours', keys: '', area: 'Setup', run: () => goToStep('picture') },
  { name: 'Pick a neutral in the picture', keys: '', area: 'Picture', run: () => startTool('neutral', null) },
  { name: 'Leave the grade out', keys: '', area: 'Picture', run: leaveGrade, able: () => Boolean(useSetup.getState().doc?.grade) },
]
