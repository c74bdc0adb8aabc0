import { vertex } from './shaders'

/** program links a fragment shader that covers the picture. */
export function program(gl: WebGL2RenderingContext, fragment: string): WebGLProgram {
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

/** texture begins a texture that does not repeat. */
export function texture(gl: WebGL2RenderingContext, filter: number = gl.LINEAR): WebGLTexture {
  const t = gl.createTexture()
  gl.bindTexture(gl.TEXTURE_2D, t)
  for (const k of [gl.TEXTURE_MIN_FILTER, gl.TEXTURE_MAG_FILTER]) gl.texParameteri(gl.TEXTURE_2D, k, filter)
  for (const k of [gl.TEXTURE_WRAP_S, gl.TEXTURE_WRAP_T]) gl.texParameteri(gl.TEXTURE_2D, k, gl.CLAMP_TO_EDGE)
  return t
}

/** readBack reads floats from a target once the graphics processor has them: nothing waits meanwhile. */
export async function readBack(gl: WebGL2RenderingContext, target: WebGLFramebuffer, x: number, y: number, w: number, h: number): Promise<Float32Array> {
  const out = new Float32Array(4 * w * h)
  const kept = gl.createBuffer()
  gl.bindBuffer(gl.PIXEL_PACK_BUFFER, kept)
  gl.bufferData(gl.PIXEL_PACK_BUFFER, out.byteLength, gl.STREAM_READ)
  gl.bindFramebuffer(gl.FRAMEBUFFER, target)
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

/** table3 is a table of colour as a cube of texels. */
export function table3(gl: WebGL2RenderingContext, side: number, rgb: Float32Array): WebGLTexture {
  const t = gl.createTexture()
  gl.activeTexture(gl.TEXTURE0)
  gl.bindTexture(gl.TEXTURE_3D, t)
  for (const k of [gl.TEXTURE_MIN_FILTER, gl.TEXTURE_MAG_FILTER]) gl.texParameteri(gl.TEXTURE_3D, k, gl.NEAREST)
  gl.texStorage3D(gl.TEXTURE_3D, 1, gl.RGB32F, side, side, side)
  gl.texSubImage3D(gl.TEXTURE_3D, 0, 0, 0, 0, side, side, side, gl.RGB, gl.FLOAT, rgb)
  return t
}
