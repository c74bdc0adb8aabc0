import { ButtonBase } from '@mui/material'
import { toView } from '../../kernel/look'
import { entries, useSetup } from '../../kernel/store'
import { Tip } from '../../ui/Tip'

/** Shelf shows the same light in all the views at once; choosing one makes it the picture. */
export function Shelf() {
  const views = useSetup((s) => s.doc?.views)
  const view = useSetup((s) => s.view)
  const figures = useSetup((s) => s.figures)
  const id = useSetup((s) => s.id)
  if (!views) return <nav className="shelf" aria-label="Views" />
  const all = entries(views)
  const dearest = all.reduce((a, [k]) => ((figures[k]?.budget?.ms ?? 0) > (figures[a]?.budget?.ms ?? 0) ? k : a), all[0]?.[0] ?? '')
  return (
    <nav className="shelf" aria-label="Views">
      {all.map(([k, v], i) => {
        const f = figures[k]
        const b = f?.budget
        const over = b ? b.ms > b.limitMs : false
        return (
          <Tip key={k} title={i < 9 ? `${v.name} (${i + 1})` : v.name}>
            <ButtonBase className={k === view ? 'on' : ''} aria-current={k === view} onClick={() => toView(k)}>
              <span className="thumb">
                {f && f.thumb > 0 ? <img alt="" src={`/api/setups/${id}/thumbs/${k}?v=${f.revision}-${f.thumb}`} /> : null}
              </span>
              <span className="caption">
                <b>{v.name}</b>
                <Tip title={!b ? 'Not counted until the view has been looked at' : over ? 'Over the limit of the target' : k === dearest ? 'The dearest view' : undefined}>
                  <span className={over ? 'over' : ''}>
                    {b ? `${b.ms.toFixed(1)} ms` : '· · · ms'}
                    {over ? ' ▲' : ''}
                  </span>
                </Tip>
              </span>
            </ButtonBase>
          </Tip>
        )
      })}
    </nav>
  )
}
