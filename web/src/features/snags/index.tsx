import { Warning } from '@phosphor-icons/react/dist/csr/Warning'
import { lazy } from 'react'
import type { Feature } from '../../kernel/feature'
import { Marked } from './Marked'
import { useSnags } from './useSnags'

const Body = lazy(() => import('./SnagPanel'))

/** snags is what the checks found. */
export const snags: Feature = {
  id: 'snags',
  panels: [{ id: 'snags', name: 'Snags', command: 'Snags: what the checks found', keys: 'Shift S', icon: Warning, body: () => <Body />, useCount: () => { const n = useSnags().data?.snags.length; return n ? String(n) : '' } }],
  overlay: Marked,
}
