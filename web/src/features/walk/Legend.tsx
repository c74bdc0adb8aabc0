import { scaleCss } from '../../picture/palette'

/** Legend is the scale of a plan, with its ends in units. */
export function Legend({ low, high }: { low: string; high: string }) {
  return (
    <p className="walk-legend">
      <span>{low}</span>
      <span className="ramp" style={{ background: `linear-gradient(to right, ${Array.from({ length: 9 }, (_, i) => scaleCss(i / 8)).join(', ')})` }} />
      <span>{high}</span>
    </p>
  )
}
