import { ways } from '../kernel/seeing'
import type { RGB } from '../kernel/sums'
import { Bloom } from './bloom'
import { CurveRows } from './curveRows'
import { develop, partsOf, type Finish } from './develop'
import { Flags } from './flags'
import { program, readBack, table3, texture } from './gl'
import { Lens } from './lens'
import { Sum } from './sum'
import { add, finish, perDraw, plainFinish, type Parts } from './shaders'

interface Layer {
  texture: WebGLTexture
  scale: number
  stamp: string
  w: number
  h: number
}

/** Item is a layer's part with what it is multiplied by. */
export interface Item {
  key: string
  gain: RGB
}

/** Composite adds a view's layers up on the GPU. The sum of the layers is kept;
 * when only a few gains change, their differences are added to it. */
export class Composite {
  private gl: WebGL2RenderingContext
  /** By how many layers they add at once. */
  private adders = new Map<number, WebGLProgram>()
  private stretchers = new Map<number, WebGLProgram>()
  /** What develops, by the parts that it has; each is made when it is first wanted. */
  private finishers = new Map<string, WebGLProgram>()
  private a: Sum
  private b: Sum
  private layers = new Map<string, Layer>()
  private blank: WebGLTexture
  private objects: WebGLTexture
  private flags: Flags
  private bloom: Bloom | null = null
  private lens: Lens
  /** The table of colour that is here. */
  private tables: { texture: WebGLTexture; hash: string }
  private curves: CurveRows | null = null
  private preview: { texture: WebGLTexture; stamp: number } | null = null
  width = 0
  height = 0

  /** Throws where the machine has no WebGL2 with float targets. */
  constructor(private canvas: HTMLCanvasElement) {
    const gl = canvas.getContext('webgl2', { alpha: false, antialias: false, preserveDrawingBuffer: true, powerPreference: 'high-performance' })
    if (!gl || !gl.getExtension('EXT_color_buffer_float') || !gl.getExtension('EXT_float_blend')) throw new Error('no WebGL2 with float targets')
    this.gl = gl
    for (const n of perDraw) {
      this.adders.set(n, program(gl, add(false, n)))
      this.stretchers.set(n, program(gl, add(true, n)))
    }
    this.a = new Sum(gl)
    this.b = new Sum(gl)
    this.blank = texture(gl)
    gl.texStorage2D(gl.TEXTURE_2D, 1, gl.RGB9_E5, 1, 1)
    this.objects = texture(gl, gl.NEAREST)
    gl.texImage2D(gl.TEXTURE_2D, 0, gl.R32UI, 1, 1, 0, gl.RED_INTEGER, gl.UNSIGNED_INT, new Uint32Array([0xffffffff]))
    this.lens = new Lens(gl)
    this.flags = new Flags(gl)
    this.tables = { texture: table3(gl, 2, new Float32Array(24)), hash: '' }
    gl.bindVertexArray(gl.createVertexArray())
  }

  /** resize sets the picture's size; layers stay, and are stretched to it. */
  resize(w: number, h: number) {
    if (w === this.width && h === this.height) return
    const gl = this.gl
    this.width = this.canvas.width = w
    this.height = this.canvas.height = h
    for (const s of [this.a, this.b]) {
      if (s.texture) gl.deleteTexture(s.texture)
      s.texture = texture(gl, gl.NEAREST)
      gl.texStorage2D(gl.TEXTURE_2D, 1, gl.RGBA32F, w, h)
      gl.bindFramebuffer(gl.FRAMEBUFFER, s.target)
      gl.framebufferTexture2D(gl.FRAMEBUFFER, gl.COLOR_ATTACHMENT0, gl.TEXTURE_2D, s.texture, 0)
      s.parts.clear()
    }
  }

  /** putTable takes a table of colour, by its hash. */
  putTable(hash: string, side: number, rgb: Float32Array) {
    if (this.tables.hash === hash) return
    this.gl.deleteTexture(this.tables.texture)
    this.tables = { texture: table3(this.gl, side, rgb), hash }
  }

  /** stamp names the version of a layer that is here, or nothing. */
  stamp(key: string): string | undefined {
    return this.layers.get(key)?.stamp
  }

  put(key: string, stamp: string, scale: number, words: Uint32Array, w: number, h: number) {
    const gl = this.gl
    const old = this.layers.get(key)
    if (old) gl.deleteTexture(old.texture)
    const t = texture(gl)
    gl.texStorage2D(gl.TEXTURE_2D, 1, gl.RGB9_E5, w, h)
    gl.texSubImage2D(gl.TEXTURE_2D, 0, 0, 0, w, h, gl.RGB, gl.UNSIGNED_INT_5_9_9_9_REV, words)
    this.layers.set(key, { texture: t, scale, stamp, w, h })
  }

  /** putCodes takes a picture of small whole numbers, one byte a pixel. */
  putCodes(key: string, stamp: string, codes: Uint8Array, w: number, h: number) {
    const gl = this.gl
    const old = this.layers.get(key)
    if (old) gl.deleteTexture(old.texture)
    const t = texture(gl, gl.NEAREST)
    const f = new Float32Array(4 * w * h)
    for (let i = 0; i < codes.length; i++) f[4 * i] = codes[i] ?? 0
    gl.texImage2D(gl.TEXTURE_2D, 0, gl.RGBA16F, w, h, 0, gl.RGBA, gl.FLOAT, f)
    this.layers.set(key, { texture: t, scale: 1, stamp, w, h })
  }

  /** putDepths takes one over the distance along the axis under each pixel, for the lens and for corners. */
  putDepths(inverse: Float32Array, w: number, h: number) {
    this.lens.put(inverse, w, h)
  }

  /** putObjects takes the number of the object under each pixel, for outlines. */
  putObjects(ids: Uint32Array, w: number, h: number) {
    const gl = this.gl
    gl.bindTexture(gl.TEXTURE_2D, this.objects)
    gl.texImage2D(gl.TEXTURE_2D, 0, gl.R32UI, w, h, 0, gl.RED_INTEGER, gl.UNSIGNED_INT, ids)
  }

  /** keep forgets all layers but these. */
  keep(keys: ReadonlySet<string>) {
    for (const [k, l] of this.layers) {
      if (keys.has(k)) continue
      this.gl.deleteTexture(l.texture)
      this.layers.delete(k)
    }
  }

  private accumulate(to: Sum, list: { layer: Layer; gain: RGB }[]) {
    const own = (l: Layer) => l.w === this.width && l.h === this.height
    this.accumulateBy(this.adders, to, list.filter((i) => own(i.layer)))
    this.accumulateBy(this.stretchers, to, list.filter((i) => !own(i.layer)))
  }

  private accumulateBy(programs: Map<number, WebGLProgram>, to: Sum, list: { layer: Layer; gain: RGB }[]) {
    const many = list.length > 2 ? perDraw[1] : perDraw[0]
    const program = programs.get(many)
    if (list.length === 0 || !program) return
    const gl = this.gl
    gl.bindFramebuffer(gl.FRAMEBUFFER, to.target)
    gl.viewport(0, 0, this.width, this.height)
    gl.useProgram(program)
    gl.uniform2f(gl.getUniformLocation(program, 'size'), this.width, this.height)
    gl.enable(gl.BLEND)
    gl.blendFunc(gl.ONE, gl.ONE)
    for (let at = 0; at < list.length; at += many) {
      const g = new Float32Array(3 * many)
      for (let i = 0; i < many; i++) {
        const l = list[at + i]
        gl.activeTexture(gl.TEXTURE0 + i)
        gl.bindTexture(gl.TEXTURE_2D, l?.layer.texture ?? this.blank)
        gl.uniform1i(gl.getUniformLocation(program, `l${i}`), i)
        if (l) g.set(l.gain, 3 * i)
      }
      gl.uniform3fv(gl.getUniformLocation(program, 'gain'), g)
      gl.drawArrays(gl.TRIANGLES, 0, 3)
    }
    gl.disable(gl.BLEND)
    gl.activeTexture(gl.TEXTURE0)
  }

  /** total brings a sum to these items, by differences where they are few. */
  private total(s: Sum, items: Item[]) {
    const gl = this.gl
    const changed: { layer: Layer; gain: RGB }[] = []
    const active: { layer: Layer; gain: RGB }[] = []
    const keys = new Set(items.map((i) => i.key))
    let whole = s.deltas > 60 || s.parts.size === 0
    for (const [k, p] of s.parts) {
      if (!keys.has(k) || this.layers.get(k)?.stamp !== p.stamp) whole = true
    }
    for (const { key, gain: g } of items) {
      const l = this.layers.get(key)
      if (!l) continue
      active.push({ layer: l, gain: scaled(g, l.scale) })
      const before = s.parts.get(key)?.gain ?? ([0, 0, 0] as RGB)
      if (g[0] !== before[0] || g[1] !== before[1] || g[2] !== before[2]) {
        changed.push({ layer: l, gain: scaled([g[0] - before[0], g[1] - before[1], g[2] - before[2]], l.scale) })
      }
    }
    if (whole || changed.length > active.length / 2) {
      gl.bindFramebuffer(gl.FRAMEBUFFER, s.target)
      gl.clearColor(0, 0, 0, 0)
      gl.clear(gl.COLOR_BUFFER_BIT)
      this.accumulate(s, active.filter((a) => a.gain[0] || a.gain[1] || a.gain[2]))
      s.deltas = 0
    } else if (changed.length > 0) {
      this.accumulate(s, changed)
      s.deltas++
    }
    s.parts.clear()
    for (const { key, gain } of items) {
      const l = this.layers.get(key)
      if (l) s.parts.set(key, { stamp: l.stamp, gain })
    }
  }

  /** draw composes the items and develops the picture; others are the second picture, to mark or compare with. */
  draw(items: Item[], f: Finish, others: Item[] | null = null) {
    if (!this.a.texture) return
    this.total(this.a, items)
    if (others) this.total(this.b, others)
    this.finish(this.a.texture, f)
  }

  /** drawPreview shows a small picture in the place of the sum. */
  drawPreview(stamp: number, words: Uint32Array, w: number, h: number, scale: number, f: Finish) {
    const gl = this.gl
    if (!this.a.texture) this.resize(w * 4, h * 4)
    if (this.preview?.stamp !== stamp) {
      if (this.preview) gl.deleteTexture(this.preview.texture)
      const t = texture(gl)
      gl.texStorage2D(gl.TEXTURE_2D, 1, gl.RGB9_E5, w, h)
      gl.texSubImage2D(gl.TEXTURE_2D, 0, 0, 0, w, h, gl.RGB, gl.UNSIGNED_INT_5_9_9_9_REV, words)
      this.preview = { texture: t, stamp }
    }
    this.finish(this.preview.texture, { ...f, exposure: f.exposure * scale, ev: f.ev - Math.log2(scale), low: f.low - Math.log2(scale), high: f.high - Math.log2(scale), chosen: [], split: 'none' })
  }

  private finish(from: WebGLTexture, f: Finish) {
    this.flags.put(f.chosen)
    const gl = this.gl
    // A preview is stretched, and so are the other ways of seeing: those need more than texels.
    const own = from === this.a.texture
    const simple = f.way === ways.picture && f.split === 'none' && f.chosen.length === 0 && own
    const g = f.way === ways.picture ? f.grade : null
    if (own && f.way === ways.picture && f.lens && (f.lens.blur > 0 || (g?.corners ?? 0) > 0)) from = this.lens.of(from, this.width, this.height, f.lens, g, f.showFocus)
    let spread: WebGLTexture | null = null
    if (g && g.bloom > 0 && own) spread = (this.bloom ??= new Bloom(gl)).of(from, this.width, this.height, f.exposure, g.bloom, g.bloomFrom)
    const textures = { sum: from, other: this.b.texture ?? this.blank, objects: this.objects, chosen: this.flags.texture, spread: spread ?? this.blank, curves: f.grade?.curves || f.gradeB?.curves ? (this.curves ??= new CurveRows(gl)).of(f.grade?.curves, f.gradeB?.curves) : this.blank }
    if (!spread && f.grade?.bloom) f = { ...f, grade: { ...f.grade, bloom: 0 } }
    if (f.grade?.table && this.tables.hash !== f.grade.table) f = { ...f, grade: { ...f.grade, table: '' } }
    develop(gl, this.finisher(simple, partsOf(f)), this.tables.texture, textures, f, this.width, this.height, this.flags.count)
  }

  private finisher(simple: boolean, parts: Parts): WebGLProgram {
    const key = `${simple} ${JSON.stringify(parts)}`
    let p = this.finishers.get(key)
    if (!p) this.finishers.set(key, (p = program(this.gl, (simple ? plainFinish : finish)(parts))))
    return p
  }

  /** dispose gives back what the graphics processor holds. */
  dispose() {
    const gl = this.gl
    this.bloom?.dispose()
    this.lens.dispose()
    this.curves?.dispose()
    gl.deleteTexture(this.tables.texture)
    for (const l of this.layers.values()) gl.deleteTexture(l.texture)
    for (const t of [this.a.texture, this.b.texture, this.blank, this.objects, this.flags.texture, this.preview?.texture ?? null]) gl.deleteTexture(t)
    for (const f of [this.a.target, this.b.target]) gl.deleteFramebuffer(f)
    for (const p of [...this.adders.values(), ...this.stretchers.values(), ...this.finishers.values()]) gl.deleteProgram(p)
    this.layers.clear()
  }

  /** settle adds everything up anew, which takes away the rounding that many small differences
   * leave; at rest, so that the next change is a difference again. */
  settle() {
    for (const s of [this.a, this.b]) {
      if (s.deltas === 0) continue
      const items = [...s.parts].map(([key, p]): Item => ({ key, gain: p.gain }))
      s.parts.clear()
      this.total(s, items)
    }
  }

  /** read gives scene-linear RGBA in cd/m2 of a part of the picture, rows from the top, once
   * the graphics processor has it: nothing waits for it meanwhile. Empty while there is no
   * picture. */
  async read(x: number, y: number, w: number, h: number): Promise<Float32Array> {
    const gl = this.gl
    if (!this.a.texture || w < 1 || h < 1) return new Float32Array(0)
    return readBack(gl, this.a.target, x, y, w, h)
  }
}

const scaled = (g: RGB, s: number): RGB => [g[0] * s, g[1] * s, g[2] * s]
