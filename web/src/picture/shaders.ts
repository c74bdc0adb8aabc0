import { bendSteps } from '../kernel/curves'
import { hueMiddles } from '../kernel/grade'
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

/** The part of an exposed colour that blooms: a share of what is over a luminance. */
const excess = `vec3 excess(vec3 c, vec2 b) { float l = dot(c, vec3(0.2126729, 0.7151522, 0.0721750)); float over = l - b.y; return over > 0.0 ? b.x * over / l * c : vec3(0); }`

/** reduce makes a picture a quarter as wide and high of what blooms. */
export const reduce = `#version 300 es
precision highp float; precision highp sampler2D;
uniform sampler2D sum; uniform float exposure; uniform vec2 bloom; uniform ivec2 size;
out vec4 o;
${excess}
void main() {
  ivec2 at = ivec2(gl_FragCoord.xy) * 4; vec3 s = vec3(0); float n = 0.0;
  for (int y = 0; y < 4; y++) for (int x = 0; x < 4; x++) {
    ivec2 q = at + ivec2(x, y);
    if (q.x < size.x && q.y < size.y) { s += excess(texelFetch(sum, q, 0).rgb * exposure, bloom); n += 1.0; }
  }
  o = vec4(s / n, 1);
}`

/** blur spreads it along one axis, mirrored at the edges so that nothing leaves the picture. */
export const blur = `#version 300 es
precision highp float; precision highp int; precision highp sampler2D;
uniform sampler2D from; uniform ivec2 along; uniform float sigma; uniform int reach;
out vec4 o;
int mirrored(int i, int n) { i = i % (2 * n); if (i < 0) i += 2 * n; return i >= n ? 2 * n - 1 - i : i; }
void main() {
  ivec2 n = textureSize(from, 0), p = ivec2(gl_FragCoord.xy); vec3 s = vec3(0); float all = 0.0;
  for (int d = -reach; d <= reach; d++) {
    float k = exp(-float(d * d) / (2.0 * sigma * sigma)); ivec2 q = p + along * d;
    s += k * texelFetch(from, ivec2(mirrored(q.x, n.x), mirrored(q.y, n.y)), 0).rgb; all += k;
  }
  o = vec4(s / all, 1);
}`

// Exposure and tone curves are the same numbers as Go's exposure package; a browser test holds the two together.
/** Parts are what a picture is developed with: only those are compiled in, since a part costs in every pixel whether it does anything or not where there is no graphics card. */
export interface Parts {
  graded: boolean
  film: boolean
  /** Vignette and grain. */
  optics: boolean
  hues: boolean
  curves: boolean
  bloom: boolean
  table: boolean
}

const filmTone = `  if (sh >= 2) { vec3 f = film[sh - 2]; float t = f.y * pow(x, f.x); return t >= f.z ? 1.0 : t * (1.0 + t / (f.z * f.z)) / (1.0 + t); }
`
const grading = `
// The grades of the picture and of what it is compared with: which are there, and their numbers.
uniform bool graded[2]; uniform mat3 balance[2]; uniform vec3 lift[2]; uniform vec3 gain[2]; uniform vec3 bend[2]; uniform float saturation[2];
vec3 grade(vec3 c, int k) {
  c = max(balance[k] * c, vec3(0.0)) * gain[k];
  c = max(c + lift[k] * (1.0 - min(c, vec3(1.0))), vec3(0.0));
  c = M * pow(c / M, bend[k]);
  float l = dot(c, vec3(0.2126729, 0.7151522, 0.0721750));
  return max(vec3(l) + (c - l) * saturation[k], vec3(0.0));
}
`
const hues = `
// The ranges of hue: their middles in Oklab, in degrees, and what is done to each.
const float middles[6] = float[6](${hueMiddles.map((v) => v.toFixed(6)).join(', ')});
uniform vec2 hues[12]; uniform bool hued[2];
vec3 cubeRoot(vec3 v) { return sign(v) * pow(abs(v), vec3(1.0 / 3.0)); }
vec3 byHue(vec3 c, int k) {
  float y = dot(c, vec3(0.2126729, 0.7151522, 0.0721750));
  if (!hued[k] || !(y > 0.0)) return c;
  vec3 m = cubeRoot(vec3(dot(c, vec3(0.4122214708, 0.5363325363, 0.0514459929)), dot(c, vec3(0.2119034982, 0.6806995451, 0.1073969566)), dot(c, vec3(0.0883024619, 0.2817188376, 0.6299787005))));
  float L = dot(m, vec3(0.2104542553, 0.7936177850, -0.0040720468)); vec2 ab = vec2(dot(m, vec3(1.9779984951, -2.4285922050, 0.4505937099)), dot(m, vec3(0.0259040371, 0.7827717662, -0.8086757660)));
  float hue = degrees(atan(ab.y, ab.x)); vec2 h = vec2(0, 1);
  for (int i = 0; i < 6; i++) {
    int j = (i + 1) % 6; float w = mod(middles[j] - middles[i] + 360.0, 360.0), d = mod(hue - middles[i] + 720.0, 360.0);
    if (d < w) h = mix(hues[6 * k + i], hues[6 * k + j], d / w);
  }
  float t = radians(h.x); ab = h.y * vec2(ab.x * cos(t) - ab.y * sin(t), ab.x * sin(t) + ab.y * cos(t));
  m = vec3(L + 0.3963377774 * ab.x + 0.2158037573 * ab.y, L - 0.1055613458 * ab.x - 0.0638541728 * ab.y, L - 0.0894841775 * ab.x - 1.2914855480 * ab.y); m = m * m * m;
  c = max(vec3(dot(m, vec3(4.0767416621, -3.3077115913, 0.2309699292)), dot(m, vec3(-1.2684380046, 2.6097574011, -0.3413193965)), dot(m, vec3(-0.0041960863, -0.7034186147, 1.7076147010))), vec3(0));
  float now = dot(c, vec3(0.2126729, 0.7151522, 0.0721750));
  return now > 0.0 ? c * (y / now) : c;
}
`
const curving = `
// The curves of what is shown: a row for each picture, a step for each column.
uniform sampler2D curves; uniform bool curved[2];
vec3 bent(vec3 c, int k) {
  if (!curved[k]) return c;
  vec3 x = clamp(c, 0.0, 1.0) * ${bendSteps}.0; ivec3 i = min(ivec3(x), ivec3(${bendSteps - 1})); vec3 f = x - vec3(i);
  return vec3(mix(texelFetch(curves, ivec2(i.r, k), 0).r, texelFetch(curves, ivec2(i.r + 1, k), 0).r, f.r),
    mix(texelFetch(curves, ivec2(i.g, k), 0).g, texelFetch(curves, ivec2(i.g + 1, k), 0).g, f.g), mix(texelFetch(curves, ivec2(i.b, k), 0).b, texelFetch(curves, ivec2(i.b + 1, k), 0).b, f.b));
}
`
const optics = `
uniform vec2 optics[2];
uint mixed(uint v) { uint s = v * 747796405u + 2891336453u; uint w = ((s >> ((s >> 28u) + 4u)) ^ s) * 277803737u; return (w >> 22u) ^ w; }
float stray() { uint a = mixed(uint(cell.x) + mixed(uint(cell.y))); uint b = mixed(a); return float(a >> 8u) / 16777216.0 + float(b >> 8u) / 16777216.0 - 1.0; }
float corner(int k) { vec2 d = here - 0.5; return exp2(-optics[k].x * dot(d, d) / 0.5); }
`
const blooming = `
${excess}
// What blooms spreads round where it is: the spread part lies in a smaller picture.
uniform vec2 bloom; uniform sampler2D spread;
vec3 bloomed(vec3 c) {
  if (bloom.x <= 0.0) return c;
  vec2 n = vec2(textureSize(spread, 0)), q = here * vec2(size) / 4.0 - 0.5; ivec2 a = ivec2(floor(q)); vec2 f = q - vec2(a); ivec2 most = ivec2(n) - 1;
  vec3 s = mix(mix(texelFetch(spread, clamp(a, ivec2(0), most), 0).rgb, texelFetch(spread, clamp(a + ivec2(1, 0), ivec2(0), most), 0).rgb, f.x),
    mix(texelFetch(spread, clamp(a + ivec2(0, 1), ivec2(0), most), 0).rgb, texelFetch(spread, clamp(a + 1, ivec2(0), most), 0).rgb, f.x), f.y);
  return c - excess(c, bloom) + s;
}
`
const tabling = `
// The table that what is shown goes through last, in the tetrahedron that holds the colour.
uniform highp sampler3D table; uniform float tabled;
vec3 at3(ivec3 p) { return texelFetch(table, p, 0).rgb; }
vec3 throughTable(vec3 c) {
  if (tabled <= 0.0) return c;
  int n = textureSize(table, 0).x; vec3 x = clamp(c, 0.0, 1.0) * float(n - 1); ivec3 i = min(ivec3(x), ivec3(n - 2)); vec3 f = x - vec3(i);
  ivec3 a, b; vec3 s = vec3(max(f.r, max(f.g, f.b)), 0, min(f.r, min(f.g, f.b))); s.y = f.r + f.g + f.b - s.x - s.z;
  if (f.r >= f.g && f.r >= f.b) { a = ivec3(1, 0, 0); b = f.g >= f.b ? ivec3(1, 1, 0) : ivec3(1, 0, 1); }
  else if (f.g >= f.b) { a = ivec3(0, 1, 0); b = f.r >= f.b ? ivec3(1, 1, 0) : ivec3(0, 1, 1); }
  else { a = ivec3(0, 0, 1); b = f.r >= f.g ? ivec3(1, 0, 1) : ivec3(0, 1, 1); }
  vec3 t = at3(i) * (1.0 - s.x) + at3(i + a) * (s.x - s.y) + at3(i + b) * (s.y - s.z) + at3(i + 1) * s.z;
  return mix(c, clamp(t, 0.0, 1.0), tabled);
}
`

/** developed is what becomes of a colour, with the parts that are wanted. */
const developedWith = (p: Parts) => `vec3 developed(vec3 c, float e, int sh, int k) {
${
  p.graded
    ? `  if (!graded[k]) return shown(c, e, sh);
  c *= e;
${p.bloom ? '  if (k == 0) c = bloomed(c);\n' : ''}  c = grade(c${p.optics ? ' * corner(k)' : ''}, k);
${p.hues ? '  c = byHue(c, k);\n' : ''}  c = shown(c, 1.0, sh);
${p.curves ? '  c = bent(c, k);\n' : ''}${p.table ? '  if (k == 0) c = throughTable(c);\n' : ''}  return ${p.optics ? 'clamp(c + optics[k].y * stray() * 4.0 * c * (1.0 - c), 0.0, 1.0)' : 'c'};`
    : '  return shown(c, e, sh);'
}
}`

const developing = (p: Parts) => `
const float M = 0.18; const float S = 1.0 - M;
// Where the picture is developed: 0 to 1 across and down, and its pixel from the upper left.
vec2 here; ivec2 cell; uniform vec3 film[2]; uniform float whiteStops;
float tone(float x, int sh) {
  if (!(x > 0.0)) return 0.0;
${p.film ? filmTone : ''}  if (sh == 0 || x <= M) return min(x, 1.0);
  float w = (M * 32.0 - M) / S; float t = (x - M) / S;
  return min(M + S * t * (1.0 + t / (w * w)) / (1.0 + t), 1.0);
}
float encode(float v) { return v <= 0.0031308 ? 12.92 * v : 1.055 * pow(v, 1.0 / 2.4) - 0.055; }
vec3 encode3(vec3 c) { return vec3(encode(c.r), encode(c.g), encode(c.b)); }
vec3 shown(vec3 c, float e, int sh) { c *= e; return encode3(vec3(tone(c.r, sh), tone(c.g, sh), tone(c.b, sh))); }
${p.graded ? grading : ''}${p.hues ? hues : ''}${p.curves ? curving : ''}${p.optics ? optics : ''}${p.bloom ? blooming : ''}${p.table ? tabling : ''}${developedWith(p)}`

/** plainFinish is the full picture by itself, which is what is drawn most. */
export const plainFinish = (p: Parts) => `#version 300 es
precision highp float; precision highp int; precision highp sampler2D;
uniform sampler2D sum; uniform float exposure; uniform int shoulder; uniform ivec2 size;
out vec4 o;
${developing(p)}
void main() {
  ivec2 p = ivec2(gl_FragCoord.xy); p.y = size.y - 1 - p.y;
  here = (vec2(p) + 0.5) / vec2(size); cell = p;
  o = vec4(developed(texelFetch(sum, p, 0).rgb, exposure, shoulder, 0), 1);
}`

/** finish is all ways of seeing, and two pictures compared. */
export const finish = (p: Parts) => `#version 300 es
precision highp float; precision highp int; precision highp sampler2D; precision highp usampler2D;
uniform sampler2D sum; uniform sampler2D other; uniform usampler2D objects;
uniform float exposure; uniform float exposureB; uniform float ev; uniform int shoulder; uniform int shoulderB; uniform ivec2 size;
uniform int way; uniform int split; uniform float wipe; uniform vec3 accent; uniform vec3 marker; uniform float low; uniform float high;
uniform usampler2D chosen; uniform int chosenCount; uniform vec4 palette[16];
out vec4 o;
${scaleGlsl}
${developing(p)}
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
    float top = shoulder == 0 ? 1.0 : M * exp2(whiteStops);
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
  here = uv; cell = p;
  if (split == ${splits.side}) {
    // Each side whole, at half size, one beside the other.
    float x = uv.x * 2.0; bool right = x >= 1.0; vec2 q = vec2(right ? x - 1.0 : x, uv.y * 2.0 - 0.5);
    if (q.y < 0.0 || q.y > 1.0) { o = vec4(vec3(0.169), 1); return; }
    here = q;
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
