import type { Command } from '../../kernel/feature'
import { useLook } from '../../kernel/look'
import { pinHere } from '../../picture/weighing'

const look = useLook.getState

/** turnWeighing lets the pointer weigh what it is over, or ends that. */
export const turnWeighing = () => useLook.setState((s) => ({ weighs: !s.weighs, weighing: null }))

/** commands of readings. */
export const commands: Command[] = [
  { name: 'Weigh with the pointer; a click pins', keys: '', area: 'Picture', run: turnWeighing },
  { name: 'Pin a reading under the pointer', keys: 'P', area: 'Picture', run: pinHere },
  { name: 'Remove all pins', keys: 'Shift P', area: 'Picture', run: () => useLook.setState({ pins: [] }), able: () => look().pins.length > 0 },
]
