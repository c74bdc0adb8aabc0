import type { Command } from '../../kernel/feature'
import { clock, dayNow, setDay, sunOf } from '../../kernel/day'
import { halveFog, marshFog, setFog } from '../../kernel/fog'
import { goToStep } from '../../kernel/panes'
import { useSetup } from '../../kernel/store'
import { startTool } from '../../picture/tool'

const doc = () => useSetup.getState().doc

/** beam takes the tool in hand that lets the sun's beam fall where is clicked. */
export function beam() {
  const sun = sunOf(doc()?.day, doc()?.lights)
  if (sun) startTool('beam', sun)
}

/** later moves the day's clock by so many hours. */
function later(hours: number) {
  const d = dayNow()
  if (!d) return
  const hour = Math.min(Math.max((d.byClock ? d.hour : 12) + hours, 0), 24)
  setDay({ ...d, byClock: true, hour }, `Hour ${clock(hour)}`, 'held')
}

const hasSun = () => sunOf(doc()?.day, doc()?.lights) !== null
const fog = () => doc()?.fog
const hasDay = () => Boolean(doc()?.day)

/** commands of the day and of the sun's beam. */
export const commands: Command[] = [
  { name: 'Air: sun, sky, fog and what lies around', keys: '', area: 'Setup', run: () => goToStep('air') },
  { name: 'Let the sun’s beam fall where I click', keys: '', area: 'Light', run: beam, able: hasSun },
  { name: 'A quarter of an hour later', keys: '', area: 'Light', run: () => later(0.25), able: hasDay },
  { name: 'A quarter of an hour earlier', keys: '', area: 'Light', run: () => later(-0.25), able: hasDay },
  { name: 'Set a chrome and a grey ball in the picture', keys: '', area: 'Picture', run: () => startTool('balls', null) },
  { name: 'Halve the fog', keys: '', area: 'Setup', run: halveFog, able: () => Boolean(fog()) },
  { name: 'Fog on or off', keys: '', area: 'Setup', run: () => (fog() ? setFog({ off: !fog()?.off }, fog()?.off ? 'Fog on' : 'Fog off') : setFog(marshFog, 'Fog laid')) },
]
