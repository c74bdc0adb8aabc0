import { useQuery } from '@tanstack/react-query'
import type { Fit, Mapping, Sheet, Target } from '../../api.gen'
import { asked, sendFile } from '../../kernel/client'
import { useComparison } from '../../kernel/comparison'
import { useSetup } from '../../kernel/store'

/** useSheet is the frame of the view in all its parts, beside the state that is compared with. */
export function useSheet() {
  const id = useSetup((s) => s.id)
  const view = useSetup((s) => s.view)
  const revision = useSetup((s) => s.revision)
  const beside = useComparison((s) => s.compared?.id)
  return useQuery({ queryKey: ['sheet', id, view, revision, beside], queryFn: () => asked<Sheet>(`/api/setups/${id}/budget/${encodeURIComponent(view)}${beside ? `?beside=${beside}` : ''}`), enabled: id !== null && view !== '', placeholderData: (p) => p, retry: false })
}

/** calibrate fits the target to a file of timings. */
export const calibrate = (id: number, file: File, m: Mapping) => sendFile<Fit>(`/api/setups/${id}/calibration?mapping=${encodeURIComponent(JSON.stringify(m))}`, file)

/** readTarget reads a target file. */
export const readTarget = (file: File) => sendFile<Target>('/api/targets', file)
