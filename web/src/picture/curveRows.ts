import { bendSteps } from '../kernel/curves'
import { texture } from './gl'

type Row = Float32Array | null | undefined

/** CurveRows are the curves of the picture and of what it is compared with, as a texture of a row each. */
export class CurveRows {
  private texture: WebGLTexture
  private rows: Row[] = []

  constructor(private gl: WebGL2RenderingContext) {
    this.texture = texture(gl, gl.NEAREST)
  }

  of(...rows: Row[]): WebGLTexture {
    if (rows.every((r, k) => r === this.rows[k])) return this.texture
    const gl = this.gl
    const wide = bendSteps + 1
    const all = new Float32Array(8 * wide)
    rows.forEach((r, k) => r && all.set(r, 4 * wide * k))
    gl.bindTexture(gl.TEXTURE_2D, this.texture)
    gl.texImage2D(gl.TEXTURE_2D, 0, gl.RGBA32F, wide, 2, 0, gl.RGBA, gl.FLOAT, all)
    this.rows = rows
    return this.texture
  }

  /** dispose gives back what the graphics processor holds. */
  dispose() {
    this.gl.deleteTexture(this.texture)
  }
}
