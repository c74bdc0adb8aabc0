import { Button, IconButton } from '@mui/material'
import { X } from '@phosphor-icons/react/dist/csr/X'
import { useEffect } from 'react'
import { liftBalls, setBalls, useBalls } from '../../kernel/balls'
import { useSetup } from '../../kernel/store'
import { lux } from '../../kernel/units'
import { startTool } from '../../picture/tool'
import { Tip } from '../../ui/Tip'

/** Balls is the card of the chrome and the grey ball: what arrives where they are set. */
export function Balls() {
  const { told, busy, x, y, view } = useBalls()
  const revision = useSetup((s) => s.revision)
  const here = useSetup((s) => s.view)
  const set = told !== null
  // They follow the light, and stay in their view.
  useEffect(() => {
    if (!set || view !== here) return
    const t = setTimeout(() => void setBalls(x, y), 400)
    return () => clearTimeout(t)
    // eslint-disable-next-line react-hooks/exhaustive-deps -- where they are set does not set them anew
  }, [revision, here])
  if (!told && !busy) return null
  const over = told && told.behind > 0 ? told.lux / told.behind : 0
  return (
    <section className="card balls" aria-label="What arrives there">
      <div className="card-head">
        <span>
          What arrives at <b>{told?.object ?? '…'}</b>
        </span>
        <Button className="word" onClick={() => startTool('balls', null)}>
          elsewhere
        </Button>
        <Tip title="Take the balls away">
          <IconButton aria-label="Take the balls away" onClick={liftBalls}>
            <X size={12} />
          </IconButton>
        </Tip>
      </div>
      {told && (
        <div className="balls-row">
          <img alt="A chrome and a grey ball" src={`data:image/png;base64,${told.picture as unknown as string}`} />
          <p>
            {over > 0 ? `lit ${over >= 10 ? over.toFixed(0) : over.toFixed(1)} : 1` : 'lit from one side'}
            <br />
            from {told.azimuth.toFixed(0)}°, {told.height.toFixed(0)}° high
            <br />
            {lux(told.lux)}, {Math.round(told.kelvin / 10) * 10} K
          </p>
        </div>
      )}
    </section>
  )
}
