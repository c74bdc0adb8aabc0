import type { Command } from '../../kernel/feature'
import { useLook } from '../../kernel/look'
import { pinHere } from '../../picture/weighing'

const look = useLook.getState

/** commands of readings. */
export const commands: Command[] = [
  { name: 'Pin a reading under the pointer', keys: 'P', area: 'Picture', run: pinHere },
  { name: 'Remove all pins', keys: 'Shift P', area: 'Picture', run: () => useLook.setState({ pins: [] }), able: () => look().pins.length > 0 },
]
