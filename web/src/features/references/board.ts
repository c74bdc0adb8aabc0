import { create } from 'zustand'
import type { KeptReference } from '../../api.gen'
import { edit, useSetup } from '../../kernel/store'

/** useBoard is the reference that is measured against, and whether it lies over the picture. */
export const useBoard = create<{ chosen: string; wipe: boolean; at: number }>(() => ({ chosen: '', wipe: false, at: 0.4 }))

/** place puts a kept picture on the board of the view. */
export function place(k: KeptReference) {
  const s = useSetup.getState()
  let n = 1
  while (s.kept?.references[`reference-${n}`]) n++
  const id = `reference-${n}`
  edit(`Reference “${k.file}”`, [{ op: 'add', path: `/references/${id}`, value: { view: s.view, order: n, blob: k.blob, file: k.file, note: '' } }])
  useBoard.setState({ chosen: id })
}

/** writeNote puts a note on the board of the view. */
export function writeNote(note: string) {
  const s = useSetup.getState()
  let n = 1
  while (s.kept?.references[`reference-${n}`]) n++
  edit('A note', [{ op: 'add', path: `/references/reference-${n}`, value: { view: s.view, order: n, note } }])
}

/** changeNote changes what is noted by a reference. */
export function changeNote(id: string, note: string) {
  const r = useSetup.getState().kept?.references[id]
  if (r && r.note !== note) edit('Note changed', [{ op: 'replace', path: `/references/${id}/note`, value: note }])
}

/** takeDown removes a reference from its board. */
export function takeDown(id: string) {
  const r = useSetup.getState().kept?.references[id]
  if (!r) return
  if (useBoard.getState().chosen === id) useBoard.setState({ chosen: '', wipe: false })
  edit(r.file ? `Reference “${r.file}” taken down` : 'Note taken down', [{ op: 'remove', path: `/references/${id}` }])
}
