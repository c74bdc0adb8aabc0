import { Button, LinearProgress } from '@mui/material'
import { told } from '../../kernel/told'
import { stopWork } from './queries'

/** Working is how far long work is, with a way to end it. */
export function Working({ share, says }: { share: number; says: string }) {
  return (
    <p className="walk-working">
      <LinearProgress variant="determinate" value={100 * share} aria-label={says} />
      <Button className="word" onClick={() => told(stopWork())}>
        stop
      </Button>
    </p>
  )
}
