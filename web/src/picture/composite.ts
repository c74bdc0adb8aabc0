import type { RGB } from '../setup/sums'

const vertex = `#version 300 es
void main() { vec2 p = vec2(float((gl_VertexID << 1) & 2), float(gl_VertexID & 2)); gl_Position = vec4(p * 2.0 - 1.0, 0, 1); }`

const perDraw = 8

const add = `#version 300 es
precision highp float; precision highp sampler2D;
${Array.from({ length: perDraw }, (_, i) => `uniform sampler2D l${i};`).join('\n')}
uniform vec3 gain[${perDraw}];
out vec4 o;
void main() {
  ivec2 p = ivec2(gl_FragCoord.xy);
  vec3 s = vec3(0);
  ${Array.from({ length: perDraw }, (_, i) => `s += gain[${i}] * texelFetch(l${i}, p, 0).rgb;`).join('\n  ')}
  o = vec4(s, 1);
}`

// The same numbers as Go's exposure package; a browser test holds the two together.
const finish = `#version 300 es
precision highp float; precision highp sampler2D;
uniform sampler2D sum; uniform float exposure; uniform int shoulder; uniform ivec2 size;
out vec4 o;
const float M = 0.18; const float S = 1.0 - M;
float tone(float x) {
  if (!(x > 0.0)) return 0.0;
  if (shoulder == 0 || x <= M) return min(x, 1.0);
  float w = (M * 32.0 - M) / S; float t = (x - M) / S;
  return min(M + S * t * (1.0 + t / (w * w)) / (1.0 + t), 1.0);
}
float encode(float v) { return v <= 0.0031308 ? 12.92 * v : 1.055 * pow(v, 1.0 / 2.4) - 0.055; }
void main() {
  ivec2 p = ivec2(gl_FragCoord.xy); p.y = size.y - 1 - p.y;
  vec3 c = texelFetch(sum, p, 0).rgb * exposure;
  o = vec4(encode(tone(c.r)), encode(tone(c.g)), encode(tone(c.b)), 1);
}`

interface Layer {
  texture: WebGLTexture
  scale: number
  version: number
}

/** What a layer contributes to the kept sum. */
interface Part {
  version: number
  gain: RGB
}

/** Composite adds a view's layers up on the GPU. The sum of the layers is kept;
 * when only a few gains change, their differences are added to it. */
export class Composite {
  private gl: WebGL2RenderingContext
  private adder: WebGLProgram
  private finisher: WebGLProgram
  private sum: WebGLTexture | null = null
  private target: WebGLFramebuffer
  private layers = new Map<string, Layer>()
  private parts = new Map<string, Part>()
  private deltas = 0
  private blank: WebGLTexture
  width = 0
  height = 0

  /** Throws where the machine has no WebGL2 with float targets. */
  constructor(private canvas: HTMLCanvasElement) {
    const gl = canvas.getContext('webgl2', { alpha: false, antialias: false, preserveDrawingBuffer: true, powerPreference: 'high-performance' })
    if (!gl || !gl.getExtension('EXT_color_buffer_float') || !gl.getExtension('EXT_float_blend')) throw new Error('no WebGL2 with float targets')
    this.gl = gl
    this.adder = this.program(add)
    this.finisher = this.program(finish)
    this.target = gl.createFramebuffer()
    this.blank = this.texture()
    gl.texStorage2D(gl.TEXTURE_2D, 1, gl.RGB9_E5, 1, 1)
    gl.bindVertexArray(gl.createVertexArray())
  }

  private program(fragment: string): WebGLProgram {
    const gl = this.gl
    const p = gl.createProgram()
    for (const [kind, text] of [
      [gl.VERTEX_SHADER, vertex],
      [gl.FRAGMENT_SHADER, fragment],
    ] as const) {
      const s = gl.createShader(kind) as WebGLShader
      gl.shaderSource(s, text)
      gl.compileShader(s)
      gl.attachShader(p, s)
    }
    gl.linkProgram(p)
    if (!gl.getProgramParameter(p, gl.LINK_STATUS)) throw new Error(gl.getProgramInfoLog(p) ?? 'the shader did not link')
    return p
  }

  private texture(): WebGLTexture {
    const gl = this.gl
    const t = gl.createTexture()
    gl.bindTexture(gl.TEXTURE_2D, t)
    for (const k of [gl.TEXTURE_MIN_FILTER, gl.TEXTURE_MAG_FILTER]) gl.texParameteri(gl.TEXTURE_2D, k, gl.NEAREST)
    for (const k of [gl.TEXTURE_WRAP_S, gl.TEXTURE_WRAP_T]) gl.texParameteri(gl.TEXTURE_2D, k, gl.CLAMP_TO_EDGE)
    return t
  }

  /** resize begins a picture of another size: all layers are forgotten. */
  resize(w: number, h: number) {
    const gl = this.gl
    for (const l of this.layers.values()) gl.deleteTexture(l.texture)
    this.layers.clear()
    this.parts.clear()
    if (this.sum) gl.deleteTexture(this.sum)
    this.width = this.canvas.width = w
    this.height = this.canvas.height = h
    this.sum = this.texture()
    gl.texStorage2D(gl.TEXTURE_2D, 1, gl.RGBA32F, w, h)
    gl.bindFramebuffer(gl.FRAMEBUFFER, this.target)
    gl.framebufferTexture2D(gl.FRAMEBUFFER, gl.COLOR_ATTACHMENT0, gl.TEXTURE_2D, this.sum, 0)
  }

  version(key: string): number {
    return this.layers.get(key)?.version ?? 0
  }

  /** put stores a layer's packed values (RGB9_E5, divided by scale). */
  put(key: string, version: number, scale: number, words: Uint32Array) {
    const gl = this.gl
    const old = this.layers.get(key)
    const texture = old?.texture ?? this.texture()
    gl.bindTexture(gl.TEXTURE_2D, texture)
    if (!old) gl.texStorage2D(gl.TEXTURE_2D, 1, gl.RGB9_E5, this.width, this.height)
    gl.texSubImage2D(gl.TEXTURE_2D, 0, 0, 0, this.width, this.height, gl.RGB, gl.UNSIGNED_INT_5_9_9_9_REV, words)
    this.layers.set(key, { texture, scale, version })
  }

  /** keep forgets the layers that are not named. */
  keep(keys: ReadonlySet<string>) {
    for (const [k, l] of this.layers) {
      if (keys.has(k)) continue
      this.gl.deleteTexture(l.texture)
      this.layers.delete(k)
    }
  }

  private accumulate(list: { texture: WebGLTexture; gain: RGB }[]) {
    const gl = this.gl
    gl.bindFramebuffer(gl.FRAMEBUFFER, this.target)
    gl.viewport(0, 0, this.width, this.height)
    gl.useProgram(this.adder)
    gl.enable(gl.BLEND)
    gl.blendFunc(gl.ONE, gl.ONE)
    for (let at = 0; at < list.length; at += perDraw) {
      const g = new Float32Array(3 * perDraw)
      for (let i = 0; i < perDraw; i++) {
        const l = list[at + i]
        gl.activeTexture(gl.TEXTURE0 + i)
        gl.bindTexture(gl.TEXTURE_2D, l?.texture ?? this.blank)
        gl.uniform1i(gl.getUniformLocation(this.adder, `l${i}`), i)
        if (l) g.set(l.gain, 3 * i)
      }
      gl.uniform3fv(gl.getUniformLocation(this.adder, 'gain'), g)
      gl.drawArrays(gl.TRIANGLES, 0, 3)
    }
    gl.disable(gl.BLEND)
    gl.activeTexture(gl.TEXTURE0)
  }

  /** draw composes the layers with these gains (by layer key) and develops the picture. */
  draw(gains: Map<string, RGB>, exposure: number, curve: string) {
    const gl = this.gl
    if (!this.sum) return
    const changed: { texture: WebGLTexture; gain: RGB }[] = []
    let whole = this.deltas > 60 || this.parts.size === 0
    for (const [k, p] of this.parts) {
      const l = this.layers.get(k)
      if (!gains.has(k) || !l || l.version !== p.version) whole = true
    }
    const active: { texture: WebGLTexture; gain: RGB }[] = []
    for (const [k, g] of gains) {
      const l = this.layers.get(k)
      if (!l) continue
      active.push({ texture: l.texture, gain: scaled(g, l.scale) })
      const before = this.parts.get(k)?.gain ?? ([0, 0, 0] as RGB)
      if (g[0] !== before[0] || g[1] !== before[1] || g[2] !== before[2]) {
        changed.push({ texture: l.texture, gain: scaled([g[0] - before[0], g[1] - before[1], g[2] - before[2]], l.scale) })
      }
    }
    if (whole || changed.length > active.length / 2) {
      gl.bindFramebuffer(gl.FRAMEBUFFER, this.target)
      gl.clearColor(0, 0, 0, 0)
      gl.clear(gl.COLOR_BUFFER_BIT)
      this.accumulate(active.filter((a) => a.gain[0] || a.gain[1] || a.gain[2]))
      this.deltas = 0
    } else if (changed.length > 0) {
      this.accumulate(changed)
      this.deltas++
    }
    this.parts.clear()
    for (const [k, g] of gains) {
      const l = this.layers.get(k)
      if (l) this.parts.set(k, { version: l.version, gain: g })
    }
    gl.bindFramebuffer(gl.FRAMEBUFFER, null)
    gl.viewport(0, 0, this.width, this.height)
    gl.useProgram(this.finisher)
    gl.bindTexture(gl.TEXTURE_2D, this.sum)
    gl.uniform1i(gl.getUniformLocation(this.finisher, 'sum'), 0)
    gl.uniform1f(gl.getUniformLocation(this.finisher, 'exposure'), exposure)
    gl.uniform1i(gl.getUniformLocation(this.finisher, 'shoulder'), curve === 'shoulder' ? 1 : 0)
    gl.uniform2i(gl.getUniformLocation(this.finisher, 'size'), this.width, this.height)
    gl.drawArrays(gl.TRIANGLES, 0, 3)
  }

  /** settle makes the next draw add everything up anew, which takes away the
   * rounding that many small differences leave. */
  settle() {
    if (this.deltas > 0) this.parts.clear()
  }

  /** read returns scene-linear RGBA in cd/m2 of a part of the picture, rows from the top. */
  read(x: number, y: number, w: number, h: number): Float32Array {
    const gl = this.gl
    const out = new Float32Array(4 * w * h)
    if (!this.sum) return out
    gl.bindFramebuffer(gl.FRAMEBUFFER, this.target)
    gl.readPixels(x, y, w, h, gl.RGBA, gl.FLOAT, out)
    return out
  }
}

const scaled = (g: RGB, s: number): RGB => [g[0] * s, g[1] * s, g[2] * s]
