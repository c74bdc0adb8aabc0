import { useLook } from '../picture/look'
import { useAside } from './aside'

const names = { none: 'now only', wipe: 'wipe', side: 'side by side', other: 'the other', difference: 'difference' } as const

/** Splits chooses how the present state and a snapshot are shown together. */
export function Splits() {
  const aside = useAside((s) => s.aside)
  const split = useLook((s) => s.split)
  if (!aside) return null
  return (
    <span className="splits">
      <span>against “{aside.name}”</span>
      <span className="choice" role="radiogroup" aria-label="Comparison">
        {(Object.keys(names) as (keyof typeof names)[]).map((k) => (
          <button key={k} type="button" role="radio" aria-checked={split === k} onClick={() => useLook.setState({ split: k })}>
            {names[k]}
          </button>
        ))}
      </span>
    </span>
  )
}
