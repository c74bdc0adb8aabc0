import { create } from 'zustand'
import type { V3 } from '../../kernel/camera'

/** Show is what of the bake lies over the right of the picture. */
export type Show = '' | 'runtime' | 'difference' | 'texels' | 'charts' | 'baked' | 'occlusion'

/** shows are the ways, with what they say. */
export const shows: [Show, string, string][] = [
  ['runtime', 'run-time picture', 'What the target would show: lightmap, probes, reflection probes, shadow maps'],
  ['difference', 'difference', 'How far the run-time picture is from the reference, as the eye sees it'],
  ['texels', 'texels', 'The lightmap’s texels, by how many there are a metre'],
  ['charts', 'charts', 'The charts into which surfaces are cut'],
  ['occlusion', 'occlusion', 'How open the sky is over each texel, within the metres that occlusion looks'],
  ['baked', 'baked light', 'What lightmap and probes give, without lights that the target works out'],
]

interface BakeView {
  show: Show
  /** Where the wipe's line lies, 0 to 1 from the left. */
  at: number
  dots: boolean
  /** Where the probe ball is, or null. */
  ball: V3 | null
  quality: string
}

/** useBakeView is what this window shows of the bake. */
export const useBakeView = create<BakeView>(() => ({ show: '', at: 0.5, dots: false, ball: null, quality: 'draft' }))

/** showBake lays something over the picture, or takes it away again. */
export const showBake = (show: Show) => useBakeView.setState((s) => ({ show: s.show === show ? '' : show }))
