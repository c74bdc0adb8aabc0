import { splits, ways } from '../kernel/seeing'
import { scaleGlsl } from './palette'

/** vertex covers the picture with one triangle. */
export const vertex = `#version 300 es
void main() { vec2 p = vec2(float((gl_VertexID << 1) & 2), float(gl_VertexID & 2)); gl_Position = vec4(p * 2.0 - 1.0, 0, 1); }`

/** Layers that one drawing adds: many where all are added up anew, one where one has changed, since each costs whether it is black or not. */
export const perDraw = [1, 8] as const

/** add adds layers up. Layers of another size than the picture are stretched; those of its own size are
 * read texel for texel, which costs much less where there is no graphics card. */
export const add = (stretched: boolean, many: number) => `#version 300 es
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
// The grades of the picture and of what it is compared with: which are there, and their numbers.
uniform bool graded[2]; uniform mat3 balance[2]; uniform vec3 lift[2]; uniform vec3 gain[2]; uniform vec3 bend[2]; uniform float saturation[2];
vec3 grade(vec3 c, int k) {
  c = max(balance[k] * c, vec3(0.0)) * gain[k];
  c = max(c + lift[k] * (1.0 - min(c, vec3(1.0))), vec3(0.0));
  c = M * pow(c / M, bend[k]);
  float l = dot(c, vec3(0.2126729, 0.7151522, 0.0721750));
  return max(vec3(l) + (c - l) * saturation[k], vec3(0.0));
}
vec3 shown(vec3 c, float e, int sh) { c *= e; return encode3(vec3(tone(c.r, sh), tone(c.g, sh), tone(c.b, sh))); }
vec3 developed(vec3 c, float e, int sh, int k) { return graded[k] ? shown(grade(c * e, k), 1.0, sh) : shown(c, e, sh); }`

/** plainFinish is the full picture by itself, which is what is drawn most. */
export const plainFinish = `#version 300 es
precision highp float; precision highp int; precision highp sampler2D;
uniform sampler2D sum; uniform float exposure; uniform int shoulder; uniform ivec2 size;
out vec4 o;
${developing}
void main() {
  ivec2 p = ivec2(gl_FragCoord.xy); p.y = size.y - 1 - p.y;
  o = vec4(developed(texelFetch(sum, p, 0).rgb, exposure, shoulder, 0), 1);
}`

/** finish is all ways of seeing, and two pictures compared. */
export const finish = `#version 300 es
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
  if (way == ${ways.picture}) return developed(c, exposure, shoulder, 0);
  if (way == ${ways.mark}) {
    float g = shown(vec3(y), exposure, shoulder).r;
    float share = y > 0.0 ? clamp(lum(texture(other, uv).rgb) / y, 0.0, 1.0) : 0.0;
    return mix(vec3(g * 0.75), marker * (0.25 + 0.75 * g), share);
  }
  if (way == ${ways.zones}) return y > 0.0 ? scale((floor(log2(y * 8.0) - ev + 0.5) + 6.0) / 11.0) : vec3(0);
  if (way == ${ways.clipped}) {
    vec3 d = shown(vec3(y), exposure, shoulder) * 0.6 + 0.15;
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
    o = vec4(right ? developed(texture(other, q).rgb, exposureB, shoulderB, 1) : developed(texture(sum, q).rgb, exposure, shoulder, 0), 1);
    return;
  }
  if (split == ${splits.other} || (split == ${splits.wipe} && uv.x > wipe)) { o = vec4(developed(texture(other, uv).rgb, exposureB, shoulderB, 1), 1); return; }
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
