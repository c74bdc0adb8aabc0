import type { RGB } from '../kernel/sums'

/** Sum is one accumulated picture, kept so that small changes cost little. */
export class Sum {
  texture: WebGLTexture | null = null
  target: WebGLFramebuffer
  parts = new Map<string, { stamp: string; gain: RGB }>()
  deltas = 0
  constructor(gl: WebGL2RenderingContext) {
    this.target = gl.createFramebuffer()
  }
}
