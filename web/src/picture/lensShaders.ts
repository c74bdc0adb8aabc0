/** Shaders of the lens and of corners: the same numbers as Go's grade package; a browser test holds the two together. */

const head = `#version 300 es
precision highp float; precision highp int; precision highp sampler2D;
`

/** inverseAt reads the inverse distance of a pixel from a map of another size. */
const inverseAt = `uniform sampler2D inverse; uniform ivec2 size;
float inverseAt(ivec2 p) { ivec2 n = textureSize(inverse, 0); return texelFetch(inverse, min(ivec2((vec2(p) + 0.5) * vec2(n) / vec2(size)), n - 1), 0).r; }
`

/** between reads a picture a quarter as wide and high between its pixels. */
const between = `
vec4 between(sampler2D t, ivec2 p) {
  vec2 q = (vec2(p) + 0.5) / 4.0 - 0.5; ivec2 a = ivec2(floor(q)); vec2 f = q - vec2(a); ivec2 most = textureSize(t, 0) - 1;
  return mix(mix(texelFetch(t, clamp(a, ivec2(0), most), 0), texelFetch(t, clamp(a + ivec2(1, 0), ivec2(0), most), 0), f.x),
    mix(texelFetch(t, clamp(a + ivec2(0, 1), ivec2(0), most), 0), texelFetch(t, clamp(a + 1, ivec2(0), most), 0), f.x), f.y);
}
`

/** reduceDepth is the mean of the inverse distances of four by four pixels. */
export const reduceDepth = `${head}${inverseAt}
out vec4 o;
void main() {
  ivec2 at = ivec2(gl_FragCoord.xy) * 4; float s = 0.0, n = 0.0;
  for (int y = 0; y < 4; y++) for (int x = 0; x < 4; x++) { ivec2 q = at + ivec2(x, y); if (q.x < size.x && q.y < size.y) { s += inverseAt(q); n += 1.0; } }
  o = vec4(s / n, 0, 0, 1);
}`

/** corners is how much of what lies round a place is hidden by what stands before it. */
export const corners = `${head}
uniform sampler2D depth; uniform float reach; uniform float scale;
out vec4 o;
void main() {
  ivec2 n = textureSize(depth, 0), p = ivec2(gl_FragCoord.xy);
  float here = texelFetch(depth, p, 0).r; o = vec4(0);
  if (here <= 0.0) return;
  float r = min(reach * here * scale, 24.0);
  if (r < 1.0) return;
  float sum = 0.0, many = 0.0;
  for (int k = 0; k < 8; k++) {
    float a = (float(k) + 0.5) * 3.14159265358979 / 8.0;
    for (int i = 0; i < 3; i++) {
      float s = float[3](0.35, 0.7, 1.0)[i]; ivec2 d = ivec2(floor(r * s * vec2(cos(a), sin(a)) + 0.5));
      ivec2 u = p + d, v = p - d;
      if (u.x < 0 || u.x >= n.x || v.x < 0 || v.x >= n.x || u.y >= n.y || v.y < 0) continue;
      float e = texelFetch(depth, u, 0).r, f = texelFetch(depth, v, 0).r;
      many += 1.0;
      if ((max(e, f) - here) / (here * here) > 2.0 * reach) continue;
      sum += clamp(2.0 * ((e + f) / 2.0 - here) / (here * here) / reach, 0.0, 1.0);
    }
  }
  if (many > 0.0) o.r = sum / many;
}`

/** darken takes light out of corners. */
export const darken = `${head}
uniform sampler2D sum; uniform sampler2D hidden; uniform float amount;
out vec4 o;
${between}
void main() {
  ivec2 p = ivec2(gl_FragCoord.xy);
  o = vec4(texelFetch(sum, p, 0).rgb * (1.0 - amount * between(hidden, p).r), 1);
}`

/** radii makes a picture a quarter as wide and high, with the radius of each place's blur in alpha: negative before what is sharp. */
export const radii = `${head}
uniform sampler2D sum; uniform sampler2D depth; uniform ivec2 size; uniform float blur; uniform float focus;
out vec4 o;
void main() {
  ivec2 p = ivec2(gl_FragCoord.xy), at = p * 4; vec3 s = vec3(0); float n = 0.0;
  for (int y = 0; y < 4; y++) for (int x = 0; x < 4; x++) { ivec2 q = at + ivec2(x, y); if (q.x < size.x && q.y < size.y) { s += texelFetch(sum, q, 0).rgb; n += 1.0; } }
  o = vec4(s / n, clamp(blur * (1.0 - focus * texelFetch(depth, p, 0).r) / 4.0, -8.0, 8.0));
}`

/** gather brings to each place what is blurred over it; how much of that lies before it is in alpha. */
export const gather = `${head}
uniform sampler2D from; uniform int reach;
out vec4 o;
void main() {
  ivec2 n = textureSize(from, 0), p = ivec2(gl_FragCoord.xy); float here = texelFetch(from, p, 0).a;
  vec3 s = vec3(0); float all = 0.0, before = 0.0;
  for (int y = -reach; y <= reach; y++) for (int x = -reach; x <= reach; x++) {
    ivec2 q = p + ivec2(x, y);
    if (q.x < 0 || q.y < 0 || q.x >= n.x || q.y >= n.y) continue;
    vec4 c = texelFetch(from, q, 0); float r = abs(c.a);
    if (c.a > here) r = min(r, abs(here));
    float k = clamp(r - sqrt(float(x * x + y * y)) + 0.5, 0.0, 1.0) / max(3.14159265358979 * r * r, 1.0);
    s += k * c.rgb; all += k;
    if (c.a < here - 0.5 && c.a < 0.0) before += k;
  }
  o = vec4(s / max(all, 1e-9), min(before, 1.0));
}`

/** focused puts the blurred over the sharp; with shown over 0, what is sharp is told by colours: before it warm, behind it cold. */
export const focused = `${head}${inverseAt}
uniform sampler2D sum; uniform sampler2D blurred; uniform float blur; uniform float focus; uniform float shown;
out vec4 o;
${between}
void main() {
  ivec2 p = ivec2(gl_FragCoord.xy); vec4 b = between(blurred, p);
  float r = blur * (1.0 - focus * inverseAt(p)); float t = max(clamp((abs(r) - 0.75) / 1.5, 0.0, 1.0), b.a);
  vec3 c = mix(texelFetch(sum, p, 0).rgb, b.rgb, t);
  float y = dot(c, vec3(0.2126729, 0.7151522, 0.0721750)); float off = clamp((abs(r) - 0.5) / 2.0, 0.0, 1.0);
  o = vec4(mix(c, y * mix(vec3(1), r < 0.0 ? vec3(1.7, 0.85, 0.3) : vec3(0.45, 0.9, 1.8), off), shown), 1);
}`
