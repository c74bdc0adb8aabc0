import { useQuery } from '@tanstack/react-query'
import { useEffect, useState } from 'react'
import { usePanel } from '../../kernel/panels'
import { api } from '../../kernel/client'
import { useSetup } from '../../kernel/store'

/** useSnags asks what the checks find, once the hand has been at rest for a while and every view has its picture. */
export function useSnags() {
  const id = useSetup((s) => s.id)
  const revision = useSetup((s) => s.revision)
  const views = useSetup((s) => Object.keys(s.doc?.views ?? {}).length)
  const thumbs = useSetup((s) => Object.keys(s.thumbs).length)
  const open = usePanel((s) => s.panel === 'snags')
  const [rested, setRested] = useState<number | null>(null)
  useEffect(() => {
    const t = setTimeout(() => setRested(revision), open ? 900 : 6000)
    return () => clearTimeout(t)
  }, [revision, open])
  return useQuery({ queryKey: ['snags', id, rested], queryFn: () => api.snags(id ?? 0), enabled: id !== null && rested !== null && views > 0 && thumbs >= views, placeholderData: (p) => p, refetchInterval: (q) => (q.state.data && !q.state.data.ready ? 5000 : false) })
}
