import { draft, edit, useSetup, type Op } from '../kernel/store'
import { lockedLight } from '../kernel/locks'
import { resting } from '../kernel/travel'
import { useLook } from '../kernel/look'

/** followThrough lets the light that is looked through follow the eye: a draft while it moves, one edit when it rests. Returns how to end it. */
export function followThrough(): () => void {
  return useLook.subscribe((s, before) => {
    if (!s.through || !s.camera || s.through !== before.through) return
    if (s.camera === before.camera && s.moving === before.moving) return
    const doc = useSetup.getState().kept
    const l = doc?.lights[s.through]
    if (!doc || !l || lockedLight(doc, l)) return
    const r = (v: number) => Math.round(v * 1e4) / 1e4
    const to = resting(s.through, { position: s.camera.eye, aim: s.camera.aim })
    const ops: Op[] = [
      { op: 'replace', path: `/lights/${s.through}/position`, value: to.position?.map(r) },
      { op: 'replace', path: `/lights/${s.through}/aim`, value: to.aim?.map(r) },
    ]
    if (s.moving) draft(ops)
    else if (before.moving) edit(`${l.name} aimed by eye`, ops)
  })
}
