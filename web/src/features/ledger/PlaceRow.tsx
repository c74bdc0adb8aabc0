import { ButtonBase } from '@mui/material'
import type { Light } from '../../api.gen'
import { startTool, tools, useTool } from '../../picture/tool'
import { Tip } from '../../ui/Tip'

/** PlaceRow puts a light where its result wants it: each word takes a tool in hand. */
export function PlaceRow({ id, l }: { id: string; l: Light }) {
  const kind = useTool((s) => (s.light === id ? s.kind : null))
  return (
    <div className="field wide">
      <span className="label">Place by</span>
      <span className="tools" role="group" aria-label={`Place ${l.name} by its result`}>
        {tools
          .filter((t) => t.fits(l))
          .map((t) => (
            <Tip key={t.kind} title={`${t.command.replace('Place: ', '')} (${t.keys})`}>
              <ButtonBase aria-pressed={kind === t.kind} onClick={() => startTool(t.kind, id)}>
                {t.name}
              </ButtonBase>
            </Tip>
          ))}
      </span>
    </div>
  )
}
