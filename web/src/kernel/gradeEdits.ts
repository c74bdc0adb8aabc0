import { create } from 'zustand'
import type { Grade, Setup } from '../api.gen'
import { neutralGrade } from './grade'
import { draft, edit, hold, useSetup } from './store'
import { luminance, type RGB } from './sums'

/** useGraded is whose grade is changed: that of a zone, by its id, or the setup's. */
export const useGraded = create<{ zone: string }>(() => ({ zone: '' }))

/** zoneIn is the zone whose grade is changed; empty for the setup's, and for one that is gone. */
export const zoneIn = (doc: Setup | null, zone: string) => (doc?.zones[zone] ? zone : '')

const pathOf = (zone: string) => (zone ? `/zones/${zone}/grade` : '/grade')

/** gradeIn is the grade that is changed: a zone without one begins with that of everywhere. */
export const gradeIn = (doc: Setup | null, zone: string): Grade => (zone ? doc?.zones[zone]?.grade : undefined) ?? doc?.grade ?? neutralGrade

/** setGrade changes parts of the grade in hand, which is neutral where there is none. */
export function setGrade(part: Partial<Grade>, label: string, done: boolean | 'held') {
  const doc = useSetup.getState().kept
  const zone = zoneIn(doc, useGraded.getState().zone)
  const ops = [{ op: 'add' as const, path: pathOf(zone), value: { ...gradeIn(doc, zone), ...part } }]
  const words = zone ? `${label} in ${doc?.zones[zone]?.name ?? ''}` : label
  if (done === 'held') hold(words, ops)
  else if (done) edit(words, ops)
  else draft(ops)
}

/** leaveGrade takes the grade in hand out. */
export function leaveGrade() {
  const { doc } = useSetup.getState()
  const zone = zoneIn(doc, useGraded.getState().zone)
  if (zone ? doc?.zones[zone]?.grade : doc?.grade) edit(zone ? `No grade of its own in ${doc?.zones[zone]?.name ?? ''}` : 'No grade', [{ op: 'remove', path: pathOf(zone) }])
}

/** neutralHere lets a colour of the picture be neutral. */
export function neutralHere(c: RGB) {
  const y = luminance(c)
  setGrade({ white: c.map((v) => Math.round((Math.max(v, 1e-6 * y) / y) * 1e5) / 1e5) as RGB }, 'A neutral picked', true)
}
