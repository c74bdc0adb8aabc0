import { program, texture } from './gl'
import { blur, reduce } from './shaders'

/** As in Go's grade package: how much smaller bloom is worked out, and its deviation as a share of the height. */
const reduced = 4
const share = 0.02

/** Bloom spreads what is bright in a picture, at a quarter of its size. */
export class Bloom {
  private reducer: WebGLProgram
  private blurrer: WebGLProgram
  private a: { texture: WebGLTexture; target: WebGLFramebuffer } | null = null
  private b: { texture: WebGLTexture; target: WebGLFramebuffer } | null = null
  private w = 0
  private h = 0

  constructor(private gl: WebGL2RenderingContext) {
    this.reducer = program(gl, reduce)
    this.blurrer = program(gl, blur)
  }

  private room() {
    const gl = this.gl
    const t = texture(gl, gl.NEAREST)
    gl.texStorage2D(gl.TEXTURE_2D, 1, gl.RGBA32F, this.w, this.h)
    const target = gl.createFramebuffer()
    gl.bindFramebuffer(gl.FRAMEBUFFER, target)
    gl.framebufferTexture2D(gl.FRAMEBUFFER, gl.COLOR_ATTACHMENT0, gl.TEXTURE_2D, t, 0)
    return { texture: t, target }
  }

  /** of is what blooms of a picture of w by h, spread. */
  of(from: WebGLTexture, w: number, h: number, exposure: number, amount: number, least: number): WebGLTexture | null {
    const gl = this.gl
    const rw = Math.ceil(w / reduced)
    const rh = Math.ceil(h / reduced)
    if (rw !== this.w || rh !== this.h || !this.a || !this.b) {
      this.free()
      this.w = rw
      this.h = rh
      this.a = this.room()
      this.b = this.room()
    }
    const { a, b } = this
    gl.viewport(0, 0, rw, rh)
    gl.activeTexture(gl.TEXTURE0)
    const pass = (p: WebGLProgram, source: WebGLTexture, to: WebGLFramebuffer, name: string, put: (at: (n: string) => WebGLUniformLocation | null) => void) => {
      gl.bindFramebuffer(gl.FRAMEBUFFER, to)
      gl.useProgram(p)
      gl.bindTexture(gl.TEXTURE_2D, source)
      const at = (n: string) => gl.getUniformLocation(p, n)
      gl.uniform1i(at(name), 0)
      put(at)
      gl.drawArrays(gl.TRIANGLES, 0, 3)
    }
    pass(this.reducer, from, a.target, 'sum', (at) => {
      gl.uniform1f(at('exposure'), exposure)
      gl.uniform2f(at('bloom'), amount, least)
      gl.uniform2i(at('size'), w, h)
    })
    const sigma = Math.max((share * h) / reduced, 0.3)
    for (const [source, to, along] of [
      [a.texture, b.target, [1, 0]],
      [b.texture, a.target, [0, 1]],
    ] as const) {
      pass(this.blurrer, source, to, 'from', (at) => {
        gl.uniform2i(at('along'), along[0], along[1])
        gl.uniform1f(at('sigma'), sigma)
        gl.uniform1i(at('reach'), Math.ceil(3 * sigma))
      })
    }
    return a.texture
  }

  private free() {
    for (const r of [this.a, this.b]) {
      if (!r) continue
      this.gl.deleteTexture(r.texture)
      this.gl.deleteFramebuffer(r.target)
    }
    this.a = this.b = null
  }

  /** dispose gives back what the graphics processor holds. */
  dispose() {
    this.free()
    this.gl.deleteProgram(this.reducer)
    this.gl.deleteProgram(this.blurrer)
  }
}
