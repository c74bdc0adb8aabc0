import type { Command } from '../../kernel/feature'
import { useLook } from '../../kernel/look'
import { figureOf, helper } from '../../kernel/objectEdits'
import { say } from '../../kernel/store'
import { useThings } from '../../kernel/things'

const look = useLook.getState

/** helperHere makes a helper light for the figure that is chosen in the picture. */
function helperHere() {
  const things = useThings.getState().things
  const t = things[look().objects[0] ?? -1]
  if (!t) {
    say('Click the figure that bears the helper light first.')
    return
  }
  helper(figureOf(things, t), things)
}

/** commands of channels. */
export const commands: Command[] = [
  { name: 'Helper light for the chosen figure', keys: '', area: 'Light', run: helperHere, able: () => look().objects.length > 0 },
]
