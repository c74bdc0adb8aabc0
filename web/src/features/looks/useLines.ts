import { useQuery } from '@tanstack/react-query'
import type { LookLine } from '../../api.gen'
import { api } from '../../kernel/client'
import { useSetup } from '../../kernel/store'

/** useLines are the sentences of the looks, by id; the setup without one has the empty id. */
export function useLines(): Record<string, LookLine> {
  const id = useSetup((s) => s.id)
  const revision = useSetup((s) => s.revision)
  const q = useQuery({ queryKey: ['looks', id, revision], queryFn: () => api.looks(id ?? 0), enabled: id !== null, placeholderData: (p) => p })
  return Object.fromEntries((q.data ?? []).map((l) => [l.id, l]))
}
