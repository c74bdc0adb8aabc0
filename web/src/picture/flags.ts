import { texture } from './gl'

/** Flags says which objects are chosen: a byte each, in rows of 1,024, so that any number of them can be outlined. */
export class Flags {
  texture: WebGLTexture
  /** One more than the highest that is chosen. */
  count = 0
  private as = ''

  constructor(private gl: WebGL2RenderingContext) {
    this.texture = texture(gl, gl.NEAREST)
    gl.texImage2D(gl.TEXTURE_2D, 0, gl.R8UI, 1, 1, 0, gl.RED_INTEGER, gl.UNSIGNED_BYTE, new Uint8Array(1))
  }

  put(chosen: number[]) {
    const as = chosen.join()
    if (as === this.as) return
    this.as = as
    this.count = chosen.length ? Math.max(...chosen) + 1 : 0
    const rows = Math.max(Math.ceil(this.count / 1024), 1)
    const bytes = new Uint8Array(1024 * rows)
    for (const id of chosen) bytes[id] = 1
    const gl = this.gl
    gl.bindTexture(gl.TEXTURE_2D, this.texture)
    gl.texImage2D(gl.TEXTURE_2D, 0, gl.R8UI, 1024, rows, 0, gl.RED_INTEGER, gl.UNSIGNED_BYTE, bytes)
  }
}
