import type { GradeProgram } from '../kernel/grade'
import type { LensProgram } from '../kernel/lens'
import { program, texture } from './gl'
import { corners, darken, focused, gather, radii, reduceDepth } from './lensShaders'

/** As in Go's grade package: how much smaller blur and corners are worked out, and the widest blur there. */
const reduced = 4
const mostBlur = 8

interface Room {
  texture: WebGLTexture
  target: WebGLFramebuffer
}

type Uniforms = (at: (name: string) => WebGLUniformLocation | null) => void

/** Lens blurs a picture by how far off lies what it shows, and takes light out of corners. */
export class Lens {
  private programs = new Map<string, WebGLProgram>()
  private rooms = new Map<string, Room>()
  private inverse: WebGLTexture
  private size = ''
  /** The nearest thing's inverse distance, and the map that is here. */
  private nearest = 0
  private map: Float32Array | null = null

  constructor(private gl: WebGL2RenderingContext) {
    this.inverse = texture(gl, gl.NEAREST)
  }

  /** put takes the inverse distances along the axis, rows from the top. */
  put(map: Float32Array, w: number, h: number) {
    if (this.map === map) return
    const gl = this.gl
    gl.bindTexture(gl.TEXTURE_2D, this.inverse)
    gl.texImage2D(gl.TEXTURE_2D, 0, gl.R32F, w, h, 0, gl.RED, gl.FLOAT, map)
    this.map = map
    this.nearest = map.reduce((a, v) => Math.max(a, v), 0)
  }

  private room(name: string, w: number, h: number): Room {
    let r = this.rooms.get(name)
    if (r) return r
    const gl = this.gl
    const t = texture(gl, gl.NEAREST)
    gl.texStorage2D(gl.TEXTURE_2D, 1, gl.RGBA32F, w, h)
    const target = gl.createFramebuffer()
    gl.bindFramebuffer(gl.FRAMEBUFFER, target)
    gl.framebufferTexture2D(gl.FRAMEBUFFER, gl.COLOR_ATTACHMENT0, gl.TEXTURE_2D, t, 0)
    this.rooms.set(name, (r = { texture: t, target }))
    return r
  }

  private pass(fragment: string, to: Room, w: number, h: number, sources: Record<string, WebGLTexture>, put: Uniforms) {
    const gl = this.gl
    let p = this.programs.get(fragment)
    if (!p) this.programs.set(fragment, (p = program(gl, fragment)))
    gl.bindFramebuffer(gl.FRAMEBUFFER, to.target)
    gl.viewport(0, 0, w, h)
    gl.useProgram(p)
    const at = (name: string) => gl.getUniformLocation(p, name)
    for (const [i, [name, source]] of Object.entries(sources).entries()) {
      gl.activeTexture(gl.TEXTURE0 + i)
      gl.bindTexture(gl.TEXTURE_2D, source)
      gl.uniform1i(at(name), i)
    }
    gl.activeTexture(gl.TEXTURE0)
    put(at)
    gl.drawArrays(gl.TRIANGLES, 0, 3)
  }

  /** of is a picture of w by h as the lens has it, with its corners. */
  of(from: WebGLTexture, w: number, h: number, lens: LensProgram | null, g: GradeProgram | null, shown: boolean): WebGLTexture {
    const gl = this.gl
    if (!this.map) return from
    if (this.size !== `${w} ${h}`) this.free()
    this.size = `${w} ${h}`
    const [rw, rh] = [Math.ceil(w / reduced), Math.ceil(h / reduced)]
    const depth = this.room('depth', rw, rh)
    const sized: Uniforms = (at) => gl.uniform2i(at('size'), w, h)
    this.pass(reduceDepth, depth, rw, rh, { inverse: this.inverse }, sized)
    let out = from
    if (g && g.corners > 0 && lens) {
      const hidden = this.room('hidden', rw, rh)
      this.pass(corners, hidden, rw, rh, { depth: depth.texture }, (at) => {
        gl.uniform1f(at('reach'), g.cornerReach)
        gl.uniform1f(at('scale'), h / 2 / Math.tan(lens.fovY / 2) / reduced)
      })
      const dark = this.room('dark', w, h)
      this.pass(darken, dark, w, h, { sum: out, hidden: hidden.texture }, (at) => gl.uniform1f(at('amount'), g.corners))
      out = dark.texture
    }
    return lens && lens.blur > 0 ? this.focus(out, w, h, lens, shown) : out
  }

  private focus(from: WebGLTexture, w: number, h: number, lens: LensProgram, shown: boolean): WebGLTexture {
    const gl = this.gl
    const [rw, rh] = [Math.ceil(w / reduced), Math.ceil(h / reduced)]
    const blur = lens.blur * h
    const depth = this.room('depth', rw, rh).texture
    const small = this.room('small', rw, rh)
    const both: Uniforms = (at) => {
      gl.uniform2i(at('size'), w, h)
      gl.uniform1f(at('blur'), blur)
      gl.uniform1f(at('focus'), lens.focus)
    }
    this.pass(radii, small, rw, rh, { sum: from, depth }, both)
    const wide = Math.max(blur, Math.abs(blur * (1 - lens.focus * this.nearest))) / reduced
    const blurred = this.room('blurred', rw, rh)
    this.pass(gather, blurred, rw, rh, { from: small.texture }, (at) => gl.uniform1i(at('reach'), Math.min(Math.ceil(wide), mostBlur)))
    const out = this.room('focused', w, h)
    this.pass(focused, out, w, h, { inverse: this.inverse, sum: from, blurred: blurred.texture }, (at) => {
      both(at)
      gl.uniform1f(at('shown'), shown ? 1 : 0)
    })
    return out.texture
  }

  private free() {
    for (const r of this.rooms.values()) {
      this.gl.deleteTexture(r.texture)
      this.gl.deleteFramebuffer(r.target)
    }
    this.rooms.clear()
  }

  /** dispose gives back what the graphics processor holds. */
  dispose() {
    this.free()
    this.gl.deleteTexture(this.inverse)
    for (const p of this.programs.values()) this.gl.deleteProgram(p)
  }
}
