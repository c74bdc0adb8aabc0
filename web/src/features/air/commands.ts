import type { Command } from '../../kernel/feature'
import { clock, dayNow, setDay, sunOf } from '../../kernel/day'
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
const hasDay = () => Boolean(doc()?.day)

/** commands of the day and of the sun's beam. */
export const commands: Command[] = [
  { name: 'Air: sun, sky and what lies around', keys: '', area: 'Setup', run: () => goToStep('air') },
  { name: 'Let the sun’s beam fall where I click', keys: '', area: 'Light', run: beam, able: hasSun },
  { name: 'A quarter of an hour later', keys: '', area: 'Light', run: () => later(0.25), able: hasDay },
  { name: 'A quarter of an hour earlier', keys: '', area: 'Light', run: () => later(-0.25), able: hasDay },
]
