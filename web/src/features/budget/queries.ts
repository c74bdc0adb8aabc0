import { useQuery } from '@tanstack/react-query'
import type { Fit, Mapping, Sheet, Target } from '../../api.gen'
import { sendFile, sent } from '../../kernel/client'
import { useComparison } from '../../kernel/comparison'
import { useWhere } from '../../kernel/frame'
import { useSetup } from '../../kernel/store'

/** useSheet is the frame of what is seen in all its parts, beside the state that is compared with. */
export function useSheet() {
  const id = useSetup((s) => s.id)
  const { ask } = useWhere()
  const revision = useSetup((s) => s.revision)
  const beside = useComparison((s) => s.compared?.id)
  return useQuery({ queryKey: ['sheet', id, ask, revision, beside], queryFn: () => sent<Sheet>(`/api/setups/${id}/budget`, 'POST', { ...ask, beside: beside ?? 0 }), enabled: id !== null && ask.view !== '', placeholderData: (p) => p, retry: false })
}

/** calibrate fits the target to a file of timings. */
export const calibrate = (id: number, file: File, m: Mapping) => sendFile<Fit>(`/api/setups/${id}/calibration?mapping=${encodeURIComponent(JSON.stringify(m))}`, file)

/** readTarget reads a target file. */
export const readTarget = (file: File) => sendFile<Target>('/api/targets', file)
