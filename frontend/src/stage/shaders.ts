// Shader text of the stage's papers: what every look shares, and what each adds where LOOK stands. GLSL ES 3.0, as three.js hands it on.

/** A vertex as its joints carry it: the heaviest that the receiver takes, brought to the sum that all had. */
export const POSE = /* glsl */ `
#ifdef POSED
  attribute vec3 bound; attribute vec4 boundNormal, carrierA, carrierB, shareA, shareB;
  uniform highp sampler2D uBones; uniform float uPosed, uMost, uNodeToo;
  mat4 bone(float k) {
    int y = int(k + .5);
    return mat4(texelFetch(uBones, ivec2(0, y), 0), texelFetch(uBones, ivec2(1, y), 0), texelFetch(uBones, ivec2(2, y), 0), texelFetch(uBones, ivec2(3, y), 0));
  }
  mat4 blend(vec4 k, vec4 w) { return w.x * bone(k.x) + w.y * bone(k.y) + w.z * bone(k.z) + w.w * bone(k.w); }
  void pose(inout vec3 at, inout vec3 towards) {
    if (uPosed + uNodeToo < .5 && uMost > 7.5) return;
    vec4 a = shareA * step(vec4(.5, 1.5, 2.5, 3.5), vec4(uMost)), b = shareB * step(vec4(4.5, 5.5, 6.5, 7.5), vec4(uMost));
    float kept = dot(a + b, vec4(1.)), all_of = dot(shareA + shareB, vec4(1.)), grow = kept > 0. ? all_of / kept : 1.;
    mat4 m = blend(carrierA, a * grow);
    if (dot(b, vec4(1.)) > 0.) m += blend(carrierB, b * grow);
    if (uNodeToo > .5) m = bone(float(textureSize(uBones, 0).y - 1)) * m;
    at = (m * vec4(bound, 1.)).xyz;
    towards = mat3(m) * boundNormal.xyz;
  }
#endif
`;

export const VERTEX = /* glsl */ `
#include <common>
uniform mat4 uSunMatrix; uniform vec3 uSunOffset; uniform mat3 uPlaced;
#ifdef FURTHER_SET
  attribute vec2 UV_SET;
#endif
#ifdef HAS_TINT
  attribute vec4 tint;
  varying vec4 vTint;
#endif
#ifdef GLOW_SET
  uniform mat3 uGlowPlaced;
  varying vec2 vGlow;
  #ifdef FURTHER_GLOW_SET
    attribute vec2 GLOW_SET;
  #endif
#endif
varying vec3 vNormal, vWorld, vSun; varying vec2 vSt;
${POSE}
LOOK_PARS
void main() {
  vec3 objectNormal = vec3(0., 1., 0.);
  #ifndef POINTS_OR_LINES
    objectNormal = normal;
  #endif
  vec3 transformed = position;
  #ifdef POSED
    pose(transformed, objectNormal);
  #endif
  #include <project_vertex>
  vNormal = normalMatrix * objectNormal;
  vWorld = (modelMatrix * vec4(transformed, 1.)).xyz;
  vSun = (uSunMatrix * vec4(vWorld + uSunOffset.z * inverseTransformDirection(normalize(vNormal), viewMatrix), 1.)).xyz;
  #ifdef HAS_UV
    vSt = (uPlaced * vec3(UV_SET, 1.)).xy;
  #endif
  #ifdef HAS_TINT
    vTint = tint;
  #endif
  #ifdef GLOW_SET
    vGlow = (uGlowPlaced * vec3(GLOW_SET, 1.)).xy;
  #endif
  LOOK
}`;

export const FRAGMENT = /* glsl */ `
layout(location = 1) out highp vec4 gInk;
uniform vec3 uColour, uSun, uUp, uSunOffset; uniform float uOpacity, uPart, uInk, uDpr, uTile, uSample, uCutoff, uPale;
uniform sampler2D uMap; uniform highp sampler2DShadow uSunMap;
varying vec3 vNormal, vWorld, vSun; varying vec2 vSt;
#ifdef HAS_TINT
  varying vec4 vTint;
#endif
#ifdef HAS_GLOW
  uniform vec3 uGlow;
#endif
#ifdef GLOW_SET
  uniform sampler2D uGlowMap;
  varying vec2 vGlow;
#endif
float hatch(vec2 p, float period, float halfWidth) {
  float d = abs(fract((p.x + p.y) / period) - .5) * period * .7071;
  return 1. - smoothstep(halfWidth - .6, halfWidth + .6, d);
}
// Where a see-through pixel is drawn in this frame: eight still frames and a 4 x 4 pattern share out the alpha, each part in
// an order of its own, so that the mean of the frames is right whichever of two surfaces was drawn first.
float share(float part) {
  vec2 p = mod(floor(gl_FragCoord.xy), 4.), q = mod(p, 2.), r = floor(p / 2.);
  float cell = mod(4. * mod(2. * q.x + 3. * q.y, 4.) + mod(2. * r.x + 3. * r.y, 4.), 16.);
  float turn = mod(uSample * (1. + 2. * mod(floor(part), 4.)) + floor(part / 4.) * 3., 8.);
  return fract((cell + .5) / 128. + turn / 8. + fract(part * .618));
}
float sunlight() { return texture(uSunMap, vec3(vSun.xy + uSunOffset.xy, min(vSun.z, 1.) - .0006)); }
LOOK_PARS
void main() {
  vec4 c = vec4(uColour, uOpacity);
  #ifdef HAS_MAP
    c *= texture2D(uMap, vSt);
  #endif
  #ifdef HAS_TINT
    c *= vec4(mix(vTint.rgb / 12.92, pow((vTint.rgb + .055) / 1.055, vec3(2.4)), step(.04045, vTint.rgb)), vTint.a);
  #endif
  #ifdef CUT
    if (c.a < uCutoff) discard;
  #endif
  #ifdef SCATTER
    if (c.a <= share(floor(uPart * 255. + .5))) discard;
  #endif
  #ifndef SOFT
    c.a = 1.;
  #endif
  #ifdef FLAT
    vec3 n = vec3(0., 0., 1.), light = vec3(1.);
  #else
    vec3 n = normalize(gl_FrontFacing ? vNormal : -vNormal);
    vec3 light = mix(vec3(.332, .270, .168), vec3(.557, .532, .485), dot(n, uUp) * .5 + .5) + vec3(.605, .542, .433) * (max(0., dot(n, uSun)) * sunlight());
  #endif
  #ifdef UNLIT
    light = vec3(1.);
  #endif
  float l = dot(light, vec3(.333));
  c.rgb *= light;
  #ifdef HAS_GLOW
    vec3 glow = uGlow;
    #ifdef GLOW_SET
      glow *= texture2D(uGlowMap, vGlow).rgb;
    #endif
    c.rgb += glow;
  #endif
  LOOK
  #ifndef FLAT
    c.rgb = pow(max(c.rgb, vec3(1e-4)), vec3(1. / 2.2));
  #endif
  c.rgb = mix(c.rgb, vec3(.965, .945, .906), uPale);
  gl_FragColor = c;
  gInk = uInk * vec4(n.xy * .5 + .5, uPart, 1.);
}`;

/** Nothing but depth, for the sun, of what its joints carry. */
export const DEPTH_VERTEX = /* glsl */ `
#include <common>
${POSE}
void main() {
  vec3 transformed = position, towards = vec3(0.);
  #ifdef POSED
    pose(transformed, towards);
  #endif
  #include <project_vertex>
}`;
export const DEPTH_FRAGMENT = 'void main() { gl_FragColor = vec4(1.); }';

/** Front plain, back hatched over ochre. */
export const FACING = /* glsl */ `
if (!gl_FrontFacing) c.rgb = mix(uBack * clamp(l, .62, 1.05), uHatch, hatch(gl_FragCoord.xy, 6.5 * uDpr, .95 * uDpr));`;

/** A paper tile with the name of a lost picture. */
export const MISSING = /* glsl */ `
vec3 wn = (vec4(n, 0.) * viewMatrix).xyz, a = abs(wn);
vec2 st = a.z >= a.x && a.z >= a.y ? vec2(vWorld.x * sign(wn.z), vWorld.y) : a.x >= a.y ? vec2(-vWorld.z * sign(wn.x), vWorld.y) : vec2(vWorld.x, -vWorld.z);
c.rgb *= texture2D(uPicture, st / vec2(uTile * 2., uTile)).rgb;`;

/** Strokes of a direction of its own for each slot; cross-hatch without a material. */
export const SLOTS = /* glsl */ `
float a = uRun * .9, on = 0.;
vec2 q = mat2(cos(a), sin(a), -sin(a), cos(a)) * gl_FragCoord.xy;
on = hatch(vec2(q.x, 0.), (9. + 2. * mod(uRun, 3.)) * uDpr, .45 * uDpr);
if (uRun < -.5) on = max(hatch(gl_FragCoord.xy, 7. * uDpr, .5 * uDpr), hatch(vec2(gl_FragCoord.x, -gl_FragCoord.y), 7. * uDpr, .5 * uDpr));
c.rgb = mix(c.rgb, uHatch * .3, on * .5);`;

/** Squares that fade to their mean before they shimmer. */
export const CHECKER = /* glsl */ `
vec2 q = vSt * uSize / 32., w = max(fwidth(q), vec2(1e-6)), g = abs(fract(q - .5) - .5) / w;
float on = 1. - min(smoothstep(.3, 1.3, g.x), smoothstep(.3, 1.3, g.y)), chk = mod(floor(q.x) + floor(q.y), 2.);
c.rgb = mix(mix(mix(uGround, uLine, .22 * chk), uLine, on), mix(uGround, uLine, .3), smoothstep(.25, .6, max(w.x, w.y))) * clamp(l, .5, 1.08);`;

/** Opaque plain, cut-out dotted, blended in fine strokes. */
export const ALPHA = /* glsl */ `
float thin = 1.;
#ifdef HAS_MAP
  thin = texture2D(uMap, vSt).a;
#endif
vec3 tint = uMode < .5 ? uPlain : uSoft;
float on = uMode < .5 ? 0. : uMode < 1.5 ? step(length(mod(gl_FragCoord.xy, 6. * uDpr) - 3. * uDpr), 1.1 * uDpr) : hatch(gl_FragCoord.xy, 5. * uDpr, .4 * uDpr);
if (uMode < .5 && thin < .996) { tint = uBack; on = max(hatch(gl_FragCoord.xy, 7. * uDpr, .5 * uDpr), hatch(vec2(gl_FragCoord.x, -gl_FragCoord.y), 7. * uDpr, .5 * uDpr)); }
c.rgb = mix(tint * clamp(l, .55, 1.08), uHatch, on * .7);`;

/** One hue in ten steps; no weight at all is cross-hatched. */
export const WEIGHTS = /* glsl */ `
c.rgb = mix(uLow, uHigh, pow(floor(clamp(vWeight, 0., 1.) * 10. + .001) / 10., .85)) * clamp(l, .45, 1.08);
if (vWeight < -.001) c.rgb = mix(vec3(1.), vec3(.1), .85 * max(hatch(gl_FragCoord.xy, 7. * uDpr, .5 * uDpr), hatch(vec2(gl_FragCoord.x, -gl_FragCoord.y), 7. * uDpr, .5 * uDpr)));`;

/** Soft shadow and squares. */
export const FLOOR = /* glsl */ `
vec2 q = vWorld.xz / max(uStep, 1e-9), w = max(fwidth(q), vec2(1e-6)), g = abs(fract(q - .5) - .5) / w;
float line = uStep <= 0. ? 0. : (1. - min(smoothstep(.0, 1., g.x), smoothstep(.0, 1., g.y))) * (1. - smoothstep(.15, .5, max(w.x, w.y)));
float s = all(lessThan(abs(vSun.xy - .5), vec2(.5))) ? .2 * (1. - sunlight()) : 0., a = line * .75 * (1. - smoothstep(.45, 1., length(vWorld.xz) / uReach)) * (1. - s);
float mat = uStep <= 0. ? 0. : .62 * (1. - smoothstep(.1, .62, length(vWorld.xz) / uReach)) * (1. - s - a);
c = vec4((uShade * s + uGrid * a + uMat * mat) / max(s + a + mat, 1e-4), s + a + mat);`;
