import { useEffect, useState } from 'react'

/** useRested follows a value once it has stayed as it is for a while: what is dear to ask waits until the hand is at rest. */
export function useRested<T>(value: T, ms: number): T {
  const [rested, setRested] = useState(value)
  useEffect(() => {
    const t = setTimeout(() => setRested(value), ms)
    return () => clearTimeout(t)
  }, [value, ms])
  return rested
}
