import { Button, ButtonBase } from '@mui/material'
import { useInfiniteQuery } from '@tanstack/react-query'
import { api } from '../../kernel/client'
import { revert, useSetup } from '../../kernel/store'
import { when } from '../../kernel/when'
import { Tip } from '../../ui/Tip'

const kindWords = { edit: '', undo: 'undid ', redo: 'redid ' } as const

/** History lists every edit that was ever made, the newest first; the state after any of them can be brought back. */
export function History() {
  const id = useSetup((s) => s.id)
  const revision = useSetup((s) => s.revision)
  const you = useSetup((s) => s.you)
  const q = useInfiniteQuery({
    queryKey: ['history', id, revision],
    queryFn: ({ pageParam }) => api.history(id ?? 0, pageParam),
    initialPageParam: 0,
    getNextPageParam: (last) => (last.length >= 80 ? last.at(-1)?.revision : undefined),
    enabled: id !== null,
    placeholderData: (p) => p,
  })
  const lines = q.data?.pages.flat() ?? []
  return (
    <>
      <ol className="edit-list">
        {lines.map((l) => (
          <li key={l.revision} aria-current={l.revision === revision ? 'step' : undefined}>
            <Tip title="Bring back the state after this">
              <ButtonBase disabled={l.revision === revision} onClick={() => void revert(`Back to “${l.label}”`, l.revision)}>
                <span className="quiet">{when(l.made)}</span>
                <span className="who">{l.person === you ? 'you' : l.called || 'somebody'}</span>
                <span>
                  {kindWords[l.deed]}
                  {l.label}
                </span>
              </ButtonBase>
            </Tip>
          </li>
        ))}
        {lines.length > 0 && !q.hasNextPage && (
          <li>
            <ButtonBase onClick={() => void revert('Back to the beginning', 0)}>
              <span />
              <span />
              <span>As it was brought in</span>
            </ButtonBase>
          </li>
        )}
        {q.hasNextPage && (
          <li>
            <Button className="word" onClick={() => void q.fetchNextPage()}>
              older
            </Button>
          </li>
        )}
        {lines.length === 0 && <li className="quiet">Nothing has been changed yet.</li>}
      </ol>
    </>
  )
}
