import type { GradeProgram } from '../kernel/grade'
import type { LensProgram } from '../kernel/lens'
import { splits, type Split, type WayCode } from '../kernel/seeing'
import type { Parts } from './shaders'
import { clipStops, filmNumbers, filmOf, type RGB } from '../kernel/sums'

/** Finish is how the sums become the picture on the screen. */
export interface Finish {
  exposure: number
  ev: number
  curve: string
  way: WayCode
  split: Split
  wipe: number
  exposureB: number
  curveB: string
  /** The grades of the picture and of what it is compared with; null for none. */
  grade: GradeProgram | null
  gradeB: GradeProgram | null
  /** The view's lens, and whether what is sharp is told by colours. */
  lens: LensProgram | null
  showFocus: boolean
  chosen: number[]
  low: number
  high: number
  palette?: RGB[]
}

function putGrade(gl: WebGL2RenderingContext, at: (name: string) => WebGLUniformLocation | null, k: number, g: GradeProgram | null) {
  gl.uniform1i(at(`graded[${k}]`), g ? 1 : 0)
  if (!g) return
  gl.uniformMatrix3fv(at(`balance[${k}]`), false, g.balance)
  gl.uniform3fv(at(`lift[${k}]`), g.lift)
  gl.uniform3fv(at(`gain[${k}]`), g.gain)
  gl.uniform3fv(at(`bend[${k}]`), g.bend)
  gl.uniform1f(at(`saturation[${k}]`), g.saturation)
  gl.uniform1i(at(`hued[${k}]`), g.hues ? 1 : 0)
  if (g.hues) gl.uniform2fv(at(`hues[${6 * k}]`), g.hues)
  gl.uniform1i(at(`curved[${k}]`), g.curves ? 1 : 0)
  gl.uniform2f(at(`optics[${k}]`), g.vignette, g.grain)
}

/** partsOf are the parts that a picture needs to be developed. */
export const partsOf = ({ grade: a, gradeB: b, curve, curveB }: Finish): Parts => ({
  graded: a !== null || b !== null,
  film: filmOf(curve) !== null || filmOf(curveB) !== null,
  optics: Boolean(a?.vignette || a?.grain || b?.vignette || b?.grain),
  hues: Boolean(a?.hues || b?.hues),
  curves: Boolean(a?.curves || b?.curves),
  bloom: Boolean(a?.bloom),
  table: Boolean(a?.table && a.amount),
})

/** develop draws the finished picture with a program from the sums; flagged is one more than the highest object that is chosen. */
export function develop(gl: WebGL2RenderingContext, p: WebGLProgram, table: WebGLTexture, textures: { sum: WebGLTexture; other: WebGLTexture; objects: WebGLTexture; chosen: WebGLTexture; spread: WebGLTexture; curves: WebGLTexture }, f: Finish, w: number, h: number, flagged: number) {
  gl.bindFramebuffer(gl.FRAMEBUFFER, null)
  gl.viewport(0, 0, w, h)
  gl.useProgram(p)
  const at = (name: string) => gl.getUniformLocation(p, name)
  for (const [i, [name, texture]] of Object.entries(textures).entries()) {
    gl.activeTexture(gl.TEXTURE0 + i)
    gl.bindTexture(gl.TEXTURE_2D, texture)
    gl.uniform1i(at(name), i)
  }
  gl.activeTexture(gl.TEXTURE8)
  gl.bindTexture(gl.TEXTURE_3D, table)
  gl.uniform1i(at('table'), 8)
  gl.uniform1f(at('tabled'), f.grade?.table ? f.grade.amount : 0)
  gl.activeTexture(gl.TEXTURE0)
  gl.uniform1f(at('exposure'), f.exposure)
  gl.uniform1f(at('exposureB'), f.exposureB)
  gl.uniform1f(at('ev'), f.ev)
  // 0 plain, 1 the soft shoulder, 2 and 3 the films of the picture and of what it is compared with.
  const codeOf = (curve: string, k: number) => (filmOf(curve) ? 2 + k : curve === 'shoulder' ? 1 : 0)
  gl.uniform1i(at('shoulder'), codeOf(f.curve, 0))
  gl.uniform1i(at('shoulderB'), codeOf(f.curveB, 1))
  gl.uniform3fv(at('film[0]'), filmNumbers(f.curve))
  gl.uniform3fv(at('film[1]'), filmNumbers(f.curveB))
  gl.uniform1f(at('whiteStops'), clipStops(f.curve))
  putGrade(gl, at, 0, f.grade)
  gl.uniform2f(at('bloom'), f.grade?.bloom ?? 0, f.grade?.bloomFrom ?? 0)
  putGrade(gl, at, 1, f.gradeB)
  gl.uniform2i(at('size'), w, h)
  gl.uniform1i(at('way'), f.way)
  gl.uniform1i(at('split'), splits[f.split])
  gl.uniform1f(at('wipe'), f.wipe)
  gl.uniform1f(at('low'), f.low)
  gl.uniform1f(at('high'), f.high)
  gl.uniform3f(at('accent'), 0.878, 0.4, 0.624)
  gl.uniform3f(at('marker'), 0.95, 0.86, 0.25)
  gl.uniform1i(at('chosenCount'), f.chosen.length ? flagged : 0)
  if (f.palette) {
    const q = new Float32Array(64)
    f.palette.forEach((c, i) => q.set(c, 4 * i))
    gl.uniform4fv(at('palette'), q)
  }
  gl.drawArrays(gl.TRIANGLES, 0, 3)
}
