import type { Light, Setup, Warmth } from '../api.gen'
import { lampsNow, useSetup } from './store'
import { cssColour, emitted } from './sums'

/** toneOf is a light's own colour as a swatch, with its tint, gel and groups. */
export const toneOf = (doc: Setup, id: string, l: Light, warmth: Warmth) => cssColour(emitted(doc, l, lampsNow(useSetup.getState())[id], warmth))
