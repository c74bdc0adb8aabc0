import { Button } from '@mui/material'
import { lazy, Suspense, useState } from 'react'
import { changesGo, lookName } from '../../kernel/lookEdits'
import { useSetup } from '../../kernel/store'

const LookMenu = lazy(() => import('./LookMenu'))

/** Worn says which look is shown, lets another be chosen, and says where changes go: in the top bar. */
export function Worn() {
  const name = useSetup((s) => (s.bare ? lookName(s.bare, s.bare.look ?? '') : ''))
  const any = useSetup((s) => Object.keys(s.bare?.looks ?? {}).length > 0)
  const look = useSetup((s) => s.bare?.look ?? '')
  const alone = useSetup((s) => s.alone)
  const [at, setAt] = useState<HTMLElement | null>(null)
  if (!any) return null
  return (
    <span className="worn">
      <Button variant="outlined" className="round-button" aria-haspopup="menu" data-testid="look" onClick={(e) => setAt(e.currentTarget)}>
        {name} ▾
      </Button>
      {look && (
        <span className="goes">
          changes go to{' '}
          <Button className="word" data-testid="changes-go" onClick={() => changesGo(!alone)}>
            {alone ? 'this look' : 'every look'}
          </Button>
        </span>
      )}
      <Suspense fallback={null}>{at && <LookMenu at={at} close={() => setAt(null)} />}</Suspense>
    </span>
  )
}
