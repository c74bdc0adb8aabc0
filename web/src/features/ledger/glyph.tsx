import type { Light } from '../../api.gen'

/** Where each kind of light goes, as a shape: our own small set, 16 by 16. */
const shapes: Record<Light['kind'], string> = {
  sun: 'M2 2 L10 10 M5 1 L13 9 M1 5 L9 13 M10 10 l0 -2.500 m0 2.500 l-2.500 0 M13 9 l0 -2.500 m0 2.500 l-2.500 0 M9 13 l0 -2.500 m0 2.500 l-2.500 0',
  sky: 'M1.500 12.500 A6.500 6.500 0 0 1 14.500 12.500 M8 8.500 v3 M4.500 9.800 l1.600 2 M11.500 9.800 l-1.600 2',
  point: 'M8 8 m-1.800 0 a1.800 1.800 0 1 0 3.600 0 a1.800 1.800 0 1 0 -3.600 0 M8 1.500 v2.500 M8 12 v2.500 M1.500 8 h2.500 M12 8 h2.500',
  spot: 'M6.500 2 h3 M7 2 L3 13.500 M9 2 L13 13.500 M3 13.500 Q8 15.500 13 13.500',
  rect: 'M3 2 h10 v4 h-10 z M4.500 8.500 v4.500 M8 8.500 v5.500 M11.500 8.500 v4.500',
  disc: 'M3 4 a5 2 0 1 0 10 0 a5 2 0 1 0 -10 0 M5 8.500 v4.500 M8 8.500 v5.500 M11 8.500 v4.500',
  line: 'M2 4 h12 M4 7 v3 M8 7 v5.500 M12 7 v3',
  emissive: 'M2 13 Q5 8 8 10.500 T14 8 M4 6 v-2.500 M8 7 v-3.500 M12 5 v-2.500',
}

export function LightGlyph({ kind, colour, off }: { kind: Light['kind']; colour: string; off: boolean }) {
  return (
    <svg className={`glyph${off ? ' off' : ''}`} viewBox="0 0 16 16" width="16" height="16" aria-hidden>
      <path d={shapes[kind]} fill="none" stroke={colour} strokeWidth="1.700" strokeLinecap="round" strokeLinejoin="round" />
    </svg>
  )
}
