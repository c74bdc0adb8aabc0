import type { RGB } from '../setup/sums'
import { scaleGlsl } from './palette'

const vertex = `#version 300 es
void main() { vec2 p = vec2(float((gl_VertexID << 1) & 2), float(gl_VertexID & 2)); gl_Position = vec4(p * 2.0 - 1.0, 0, 1); }`

/** Layers that one drawing adds: many where all are added up anew, one where one has changed, since each costs whether it is black or not. */
const perDraw = [1, 8] as const

// Layers of another size than the picture are stretched; those of its own size are
// read texel for texel, which costs much less where there is no graphics card.
const add = (stretched: boolean, many: number) => `#version 300 es
precision highp float; precision highp sampler2D;
${Array.from({ length: many }, (_, i) => `uniform sampler2D l${i};`).join('\n')}
uniform vec3 gain[${many}]; uniform vec2 size;
out vec4 o;
void main() {
  vec2 p = gl_FragCoord.xy / size; ivec2 q = ivec2(gl_FragCoord.xy);
  vec3 s = vec3(0);
  ${Array.from({ length: many }, (_, i) => `s += gain[${i}] * ${stretched ? `texture(l${i}, p)` : `texelFetch(l${i}, q, 0)`}.rgb;`).join('\n  ')}
  o = vec4(s, 1);
}`

/** What the finished picture shows. Codes are the shader's. */
export const ways = { picture: 0, mark: 1, zones: 2, clipped: 3, luminance: 4, illuminance: 5, colours: 6, codes: 7 } as const
export type WayCode = (typeof ways)[keyof typeof ways]
export const splits = { none: 0, wipe: 1, side: 2, other: 3, difference: 4 } as const
export type Split = keyof typeof splits

// Exposure and tone curves are the same numbers as Go's exposure package; a browser test holds the two together.
const developing = `
const float M = 0.18; const float S = 1.0 - M;
float tone(float x, int sh) {
  if (!(x > 0.0)) return 0.0;
  if (sh == 0 || x <= M) return min(x, 1.0);
  float w = (M * 32.0 - M) / S; float t = (x - M) / S;
  return min(M + S * t * (1.0 + t / (w * w)) / (1.0 + t), 1.0);
}
float encode(float v) { return v <= 0.0031308 ? 12.92 * v : 1.055 * pow(v, 1.0 / 2.4) - 0.055; }
vec3 encode3(vec3 c) { return vec3(encode(c.r), encode(c.g), encode(c.b)); }
vec3 developed(vec3 c, float e, int sh) { c *= e; return encode3(vec3(tone(c.r, sh), tone(c.g, sh), tone(c.b, sh))); }`

// The full picture by itself, which is what is drawn most.
const plainFinish = `#version 300 es
precision highp float; precision highp int; precision highp sampler2D;
uniform sampler2D sum; uniform float exposure; uniform int shoulder; uniform ivec2 size;
out vec4 o;
${developing}
void main() {
  ivec2 p = ivec2(gl_FragCoord.xy); p.y = size.y - 1 - p.y;
  o = vec4(developed(texelFetch(sum, p, 0).rgb, exposure, shoulder), 1);
}`

const finish = `#version 300 es
precision highp float; precision highp int; precision highp sampler2D; precision highp usampler2D;
uniform sampler2D sum; uniform sampler2D other; uniform usampler2D objects;
uniform float exposure; uniform float exposureB; uniform float ev; uniform int shoulder; uniform int shoulderB; uniform ivec2 size;
uniform int way; uniform int split; uniform float wipe; uniform vec3 accent; uniform vec3 marker; uniform float low; uniform float high;
uniform usampler2D chosen; uniform int chosenCount; uniform vec4 palette[16];
out vec4 o;
${scaleGlsl}
${developing}
float lum(vec3 c) { return dot(c, vec3(0.2126, 0.7152, 0.0722)); }
bool isChosen(uint id) { return int(id) < chosenCount && texelFetch(chosen, ivec2(int(id) % 1024, int(id) / 1024), 0).r > 0u; }
vec3 looked(vec2 uv, ivec2 p) {
  vec3 c = texture(sum, uv).rgb;
  float y = lum(c);
  if (way == ${ways.picture}) return developed(c, exposure, shoulder);
  if (way == ${ways.mark}) {
    float g = developed(vec3(y), exposure, shoulder).r;
    float share = y > 0.0 ? clamp(lum(texture(other, uv).rgb) / y, 0.0, 1.0) : 0.0;
    return mix(vec3(g * 0.75), marker * (0.25 + 0.75 * g), share);
  }
  if (way == ${ways.zones}) return y > 0.0 ? scale((floor(log2(y * 8.0) - ev + 0.5) + 6.0) / 11.0) : vec3(0);
  if (way == ${ways.clipped}) {
    vec3 d = developed(vec3(y), exposure, shoulder) * 0.6 + 0.15;
    vec3 e = c * exposure;
    float top = shoulder == 1 ? M * 32.0 : 1.0;
    if (max(e.r, max(e.g, e.b)) >= top) return vec3((p.x + p.y) % 8 < 4 ? 1.0 : 0.0);
    if (y * exposure <= M / 64.0) return vec3((p.x % 6 < 2 && p.y % 6 < 2) ? 0.75 : 0.05);
    return d;
  }
  if (way == ${ways.luminance} || way == ${ways.illuminance}) {
    float v = way == ${ways.illuminance} ? y * 17.453292 : y;
    return v > 0.0 ? scale((log2(v) - low) / (high - low)) : vec3(0);
  }
  if (way == ${ways.colours}) return encode3(clamp(c, 0.0, 1.0));
  int code = int(c.r + 0.5);
  return code >= 16 ? vec3(0.1) : palette[code].rgb;
}
void main() {
  ivec2 p = ivec2(gl_FragCoord.xy); p.y = size.y - 1 - p.y;
  vec2 uv = (vec2(p) + 0.5) / vec2(size);
  if (split == ${splits.side}) {
    // Each side whole, at half size, one beside the other.
    float x = uv.x * 2.0; bool right = x >= 1.0; vec2 q = vec2(right ? x - 1.0 : x, uv.y * 2.0 - 0.5);
    if (q.y < 0.0 || q.y > 1.0) { o = vec4(vec3(0.169), 1); return; }
    o = vec4(right ? developed(texture(other, q).rgb, exposureB, shoulderB) : developed(texture(sum, q).rgb, exposure, shoulder), 1);
    return;
  }
  if (split == ${splits.other} || (split == ${splits.wipe} && uv.x > wipe)) { o = vec4(developed(texture(other, uv).rgb, exposureB, shoulderB), 1); return; }
  if (split == ${splits.difference}) {
    float a = lum(texture(sum, uv).rgb) * exposure, b = lum(texture(other, uv).rgb) * exposureB;
    float d = a > 0.0005 || b > 0.0005 ? log2((b + 0.002) / (a + 0.002)) : 0.0;
    o = vec4(scale(0.5 + d / 6.0), 1); return;
  }
  vec3 c = looked(uv, p);
  if (chosenCount > 0) {
    ivec2 n = textureSize(objects, 0);
    ivec2 q = ivec2(uv * vec2(n));
    bool here = isChosen(texelFetch(objects, q, 0).r);
    bool edge = false;
    for (int k = 0; k < 8; k++) {
      ivec2 d = ivec2[8](ivec2(1,0), ivec2(-1,0), ivec2(0,1), ivec2(0,-1), ivec2(1,1), ivec2(-1,1), ivec2(1,-1), ivec2(-1,-1))[k];
      if (isChosen(texelFetch(objects, clamp(q + d, ivec2(0), n - 1), 0).r) != here) edge = true;
    }
    if (edge) c = here ? accent : mix(c, vec3(0.05), 0.5);
  }
  o = vec4(c, 1);
}`

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
  chosen: number[]
  low: number
  high: number
  palette?: RGB[]
}

/** Sum is one accumulated picture, kept so that small changes cost little. */
class Sum {
  texture: WebGLTexture | null = null
  target: WebGLFramebuffer
  parts = new Map<string, { stamp: string; gain: RGB }>()
  deltas = 0
  constructor(gl: WebGL2RenderingContext) {
    this.target = gl.createFramebuffer()
  }
}

/** Composite adds a view's layers up on the GPU. The sum of the layers is kept;
 * when only a few gains change, their differences are added to it. */
export class Composite {
  private gl: WebGL2RenderingContext
  /** By how many layers they add at once. */
  private adders = new Map<number, WebGLProgram>()
  private stretchers = new Map<number, WebGLProgram>()
  private finisher: WebGLProgram
  private plain: WebGLProgram
  private a: Sum
  private b: Sum
  private layers = new Map<string, Layer>()
  private blank: WebGLTexture
  private objects: WebGLTexture
  /** Which objects are chosen: a byte each, in rows of 1,024. */
  private flags: WebGLTexture
  private flagged = ''
  private flagCount = 0
  private preview: { texture: WebGLTexture; stamp: number } | null = null
  width = 0
  height = 0

  /** Throws where the machine has no WebGL2 with float targets. */
  constructor(private canvas: HTMLCanvasElement) {
    const gl = canvas.getContext('webgl2', { alpha: false, antialias: false, preserveDrawingBuffer: true, powerPreference: 'high-performance' })
    if (!gl || !gl.getExtension('EXT_color_buffer_float') || !gl.getExtension('EXT_float_blend')) throw new Error('no WebGL2 with float targets')
    this.gl = gl
    for (const n of perDraw) {
      this.adders.set(n, this.program(add(false, n)))
      this.stretchers.set(n, this.program(add(true, n)))
    }
    this.finisher = this.program(finish)
    this.plain = this.program(plainFinish)
    this.a = new Sum(gl)
    this.b = new Sum(gl)
    this.blank = this.texture()
    gl.texStorage2D(gl.TEXTURE_2D, 1, gl.RGB9_E5, 1, 1)
    this.objects = this.texture(gl.NEAREST)
    gl.texImage2D(gl.TEXTURE_2D, 0, gl.R32UI, 1, 1, 0, gl.RED_INTEGER, gl.UNSIGNED_INT, new Uint32Array([0xffffffff]))
    this.flags = this.texture(gl.NEAREST)
    gl.texImage2D(gl.TEXTURE_2D, 0, gl.R8UI, 1, 1, 0, gl.RED_INTEGER, gl.UNSIGNED_BYTE, new Uint8Array(1))
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

  private texture(filter: number = this.gl.LINEAR): WebGLTexture {
    const gl = this.gl
    const t = gl.createTexture()
    gl.bindTexture(gl.TEXTURE_2D, t)
    for (const k of [gl.TEXTURE_MIN_FILTER, gl.TEXTURE_MAG_FILTER]) gl.texParameteri(gl.TEXTURE_2D, k, filter)
    for (const k of [gl.TEXTURE_WRAP_S, gl.TEXTURE_WRAP_T]) gl.texParameteri(gl.TEXTURE_2D, k, gl.CLAMP_TO_EDGE)
    return t
  }

  /** resize sets the picture's size; layers stay, and are stretched to it. */
  resize(w: number, h: number) {
    if (w === this.width && h === this.height) return
    const gl = this.gl
    this.width = this.canvas.width = w
    this.height = this.canvas.height = h
    for (const s of [this.a, this.b]) {
      if (s.texture) gl.deleteTexture(s.texture)
      s.texture = this.texture(gl.NEAREST)
      gl.texStorage2D(gl.TEXTURE_2D, 1, gl.RGBA32F, w, h)
      gl.bindFramebuffer(gl.FRAMEBUFFER, s.target)
      gl.framebufferTexture2D(gl.FRAMEBUFFER, gl.COLOR_ATTACHMENT0, gl.TEXTURE_2D, s.texture, 0)
      s.parts.clear()
    }
  }

  /** stamp names the version of a layer that is here, or nothing. */
  stamp(key: string): string | undefined {
    return this.layers.get(key)?.stamp
  }

  put(key: string, stamp: string, scale: number, words: Uint32Array, w: number, h: number) {
    const gl = this.gl
    const old = this.layers.get(key)
    if (old) gl.deleteTexture(old.texture)
    const t = this.texture()
    gl.texStorage2D(gl.TEXTURE_2D, 1, gl.RGB9_E5, w, h)
    gl.texSubImage2D(gl.TEXTURE_2D, 0, 0, 0, w, h, gl.RGB, gl.UNSIGNED_INT_5_9_9_9_REV, words)
    this.layers.set(key, { texture: t, scale, stamp, w, h })
  }

  /** putCodes takes a picture of small whole numbers, one byte a pixel. */
  putCodes(key: string, stamp: string, codes: Uint8Array, w: number, h: number) {
    const gl = this.gl
    const old = this.layers.get(key)
    if (old) gl.deleteTexture(old.texture)
    const t = this.texture(gl.NEAREST)
    const f = new Float32Array(4 * w * h)
    for (let i = 0; i < codes.length; i++) f[4 * i] = codes[i] ?? 0
    gl.texImage2D(gl.TEXTURE_2D, 0, gl.RGBA16F, w, h, 0, gl.RGBA, gl.FLOAT, f)
    this.layers.set(key, { texture: t, scale: 1, stamp, w, h })
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
      const t = this.texture()
      gl.texStorage2D(gl.TEXTURE_2D, 1, gl.RGB9_E5, w, h)
      gl.texSubImage2D(gl.TEXTURE_2D, 0, 0, 0, w, h, gl.RGB, gl.UNSIGNED_INT_5_9_9_9_REV, words)
      this.preview = { texture: t, stamp }
    }
    this.finish(this.preview.texture, { ...f, exposure: f.exposure * scale, ev: f.ev - Math.log2(scale), low: f.low - Math.log2(scale), high: f.high - Math.log2(scale), chosen: [], split: 'none' })
  }

  /** flag marks the chosen objects, so that any number of them can be outlined. */
  private flag(chosen: number[]) {
    const as = chosen.join()
    if (as === this.flagged) return
    this.flagged = as
    this.flagCount = chosen.length ? Math.max(...chosen) + 1 : 0
    const rows = Math.max(Math.ceil(this.flagCount / 1024), 1)
    const bytes = new Uint8Array(1024 * rows)
    for (const id of chosen) bytes[id] = 1
    const gl = this.gl
    gl.bindTexture(gl.TEXTURE_2D, this.flags)
    gl.texImage2D(gl.TEXTURE_2D, 0, gl.R8UI, 1024, rows, 0, gl.RED_INTEGER, gl.UNSIGNED_BYTE, bytes)
  }

  private finish(from: WebGLTexture, f: Finish) {
    this.flag(f.chosen)
    const gl = this.gl
    // A preview is stretched, and so are the other ways of seeing: those need more than texels.
    const simple = f.way === ways.picture && f.split === 'none' && f.chosen.length === 0 && from === this.a.texture
    const p = simple ? this.plain : this.finisher
    gl.bindFramebuffer(gl.FRAMEBUFFER, null)
    gl.viewport(0, 0, this.width, this.height)
    gl.useProgram(p)
    const at = (name: string) => gl.getUniformLocation(p, name)
    for (const [i, [name, texture]] of (
      [
        ['sum', from],
        ['other', this.b.texture ?? this.blank],
        ['objects', this.objects],
        ['chosen', this.flags],
      ] as const
    ).entries()) {
      gl.activeTexture(gl.TEXTURE0 + i)
      gl.bindTexture(gl.TEXTURE_2D, texture)
      gl.uniform1i(at(name), i)
    }
    gl.activeTexture(gl.TEXTURE0)
    gl.uniform1f(at('exposure'), f.exposure)
    gl.uniform1f(at('exposureB'), f.exposureB)
    gl.uniform1f(at('ev'), f.ev)
    gl.uniform1i(at('shoulder'), f.curve === 'shoulder' ? 1 : 0)
    gl.uniform1i(at('shoulderB'), f.curveB === 'shoulder' ? 1 : 0)
    gl.uniform2i(at('size'), this.width, this.height)
    gl.uniform1i(at('way'), f.way)
    gl.uniform1i(at('split'), splits[f.split])
    gl.uniform1f(at('wipe'), f.wipe)
    gl.uniform1f(at('low'), f.low)
    gl.uniform1f(at('high'), f.high)
    gl.uniform3f(at('accent'), 0.878, 0.4, 0.624)
    gl.uniform3f(at('marker'), 0.95, 0.86, 0.25)
    gl.uniform1i(at('chosenCount'), f.chosen.length ? this.flagCount : 0)
    if (f.palette) {
      const q = new Float32Array(64)
      f.palette.forEach((c, i) => q.set(c, 4 * i))
      gl.uniform4fv(at('palette'), q)
    }
    gl.drawArrays(gl.TRIANGLES, 0, 3)
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
    const out = new Float32Array(4 * w * h)
    const kept = gl.createBuffer()
    gl.bindBuffer(gl.PIXEL_PACK_BUFFER, kept)
    gl.bufferData(gl.PIXEL_PACK_BUFFER, out.byteLength, gl.STREAM_READ)
    gl.bindFramebuffer(gl.FRAMEBUFFER, this.a.target)
    gl.readPixels(x, y, w, h, gl.RGBA, gl.FLOAT, 0)
    gl.bindBuffer(gl.PIXEL_PACK_BUFFER, null)
    const done = gl.fenceSync(gl.SYNC_GPU_COMMANDS_COMPLETE, 0)
    gl.flush()
    while (done && !gl.isContextLost() && gl.clientWaitSync(done, 0, 0) === gl.TIMEOUT_EXPIRED) await new Promise((r) => setTimeout(r, 4))
    gl.deleteSync(done)
    gl.bindBuffer(gl.PIXEL_PACK_BUFFER, kept)
    if (!gl.isContextLost()) gl.getBufferSubData(gl.PIXEL_PACK_BUFFER, 0, out)
    gl.bindBuffer(gl.PIXEL_PACK_BUFFER, null)
    gl.deleteBuffer(kept)
    return out
  }
}

const scaled = (g: RGB, s: number): RGB => [g[0] * s, g[1] * s, g[2] * s]
