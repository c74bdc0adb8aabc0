import type { OverlayProps } from '../../kernel/feature'
import { useSetup } from '../../kernel/store'
import { Wipe } from '../../picture/Wipe'
import { useBoard } from './board'

/** Over is the chosen reference over the left of the picture, up to a line that is dragged, or stepped by arrows. */
export function Over({ width, height, doc }: OverlayProps) {
  const { chosen, wipe, at } = useBoard()
  const view = useSetup((s) => s.view)
  const r = doc.references[chosen]
  if (!wipe || !r?.blob || r.view !== view) return null
  const x = at * width
  return (
    <g data-testid="reference-over">
      <clipPath id="reference-clip">
        <rect x={0} y={0} width={x} height={height} />
      </clipPath>
      <image href={`/api/references/${r.blob}`} x={0} y={0} width={width} height={height} preserveAspectRatio="xMidYMid slice" clipPath="url(#reference-clip)" />
      <Wipe width={width} height={height} at={at} label="Reference over the picture" set={(at) => useBoard.setState({ at })} />
    </g>
  )
}
