// Looks: how the same model is drawn as built, as received, or under a lens.
//
// One small shader of our own ("paper"). It writes two outputs in one geometry pass:
//   location 0  colour, encoded for the screen
//   location 1  what the ink pass reads: view normal xy, part number, 1
// Alpha of location 1 is the blending switch: 1 replaces what is there, 0 keeps it.
import { BackSide, CanvasTexture, DoubleSide, FrontSide, Matrix3, Mesh, Object3D, PlaneGeometry, RepeatWrapping, ShaderMaterial, SRGBColorSpace, type Material, type ShaderMaterialParameters, type Texture } from 'three';
import { drawingOf, type Receiver } from './receiver';
import { asShown, lit, TOKENS } from './tokens';

type Uniforms = Record<string, { value: unknown }>;
export type LookName = 'built' | 'received' | 'facing' | 'wire' | 'density' | 'slots' | 'checker' | 'alpha' | 'weights' | 'layout' | 'normals' | 'pivots' | 'names';

/** Uniforms that every material shares; the sun adds its own. uTile: height of a paper tile in metres; uSample: which still frame. */
export const shared: Uniforms = { uDpr: { value: 1 }, uTile: { value: 0.25 }, uSample: { value: 0 } };

const VERTEX = /* glsl */ `
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
LOOK_PARS
void main() {
  vec3 objectNormal = vec3(0., 1., 0.);
  #ifndef POINTS_OR_LINES
    objectNormal = normal;
  #endif
  vec3 transformed = position;
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
const FRAGMENT = /* glsl */ `
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

/** What one drawn group must state for its looks. alphaMode is what the material says, imageHasAlpha what the picture says. */
export interface Surface {
  id: number;
  colour: string;
  map: Texture | null;
  missing: string | null;
  alphaMode: 'opaque' | 'mask' | 'blend';
  cutoff: number;
  imageHasAlpha: boolean;
  opacity: number;
  doubleSided: boolean;
  /** Whether the part's transform mirrors it. */
  mirrored: boolean;
  /** How many UV sets the part has, which of them the picture is laid by, and rows of the matrix that puts it in place. */
  uvSets: number;
  uvSet: number;
  placed: number[] | null;
  hasWeight: boolean;
  /** Whether vertices have colours, which the material's is multiplied by. */
  tinted: boolean;
  /** Light that the material gives off, and whether it takes none. */
  glow: { colour: string; map: Texture | null; uvSet: number; placed: number[] | null } | null;
  unlit: boolean;
  /** Index of the material, -1 for none. */
  slot: number;
  /** Width of its own picture in pixels. */
  pictureSize: number;
}

interface Paper {
  /** asMaterial: vertex colours, glow and the colour of the surface's own material are drawn. */
  surface?: Surface; asMaterial?: boolean; hex?: string; map?: Texture | null; cut?: boolean; soft?: boolean; scatter?: boolean; flat?: boolean; lines?: boolean; ink?: number; opacity?: number;
  uniforms?: Uniforms; pars?: string; vertexPars?: string; vertex?: string; look?: string; options?: ShaderMaterialParameters;
}

/** A paper material. `look` runs after lighting and may change `c`; `l` is the light, `n` the view normal. */
export function paper({ surface, asMaterial = false, hex = '#fff', map = null, cut = false, soft = false, scatter = false, flat = false, lines = false, ink = 1, opacity = 1, uniforms = {}, pars = '', vertexPars = '', vertex = '', look = '', options = {} }: Paper) {
  const defines: Record<string, string> = {};
  if (map) defines.HAS_MAP = '';
  if (surface && hasUv(surface)) {
    defines.HAS_UV = '';
    defines.UV_SET = surface.uvSet ? `uv${surface.uvSet}` : 'uv';
    if (surface.uvSet) defines.FURTHER_SET = '';
  }
  const glow = asMaterial ? surface!.glow : null;
  if (asMaterial && surface!.tinted) defines.HAS_TINT = '';
  if (asMaterial && surface!.unlit) defines.UNLIT = '';
  if (glow) defines.HAS_GLOW = '';
  if (glow?.map) {
    defines.GLOW_SET = glow.uvSet ? `uv${glow.uvSet}` : 'uv';
    if (glow.uvSet && !(defines.FURTHER_SET === '' && glow.uvSet === surface!.uvSet)) defines.FURTHER_GLOW_SET = '';
  }
  if (cut) defines.CUT = '';
  if (soft) defines.SOFT = '';
  if (scatter) defines.SCATTER = '';
  if (flat || lines) defines.FLAT = '';
  if (lines) defines.POINTS_OR_LINES = '';
  return new ShaderMaterial({
    defines, transparent: soft, depthWrite: !soft, side: DoubleSide, ...options,
    vertexShader: VERTEX.replace('LOOK_PARS', pars + vertexPars).replace('LOOK', vertex),
    fragmentShader: FRAGMENT.replace('LOOK_PARS', pars).replace('LOOK', look),
    uniforms: {
      ...shared, uColour: (flat || lines ? asShown : lit)(hex), uOpacity: { value: opacity }, uMap: { value: map }, uInk: { value: ink },
      uPlaced: { value: placing(surface?.placed) }, uPale: { value: 0 }, uCutoff: { value: surface?.cutoff ?? 0.5 }, uPart: { value: (((surface?.id ?? 0) % 254) + 1) / 255 }, ...uniforms,
      ...(glow && { uGlow: lit(glow.colour), uGlowMap: { value: glow.map }, uGlowPlaced: { value: placing(glow.placed) } }),
    },
  });
}

/** Rows of a (2, 3) matrix, or nothing, as the matrix that takes UVs to where a picture is laid. */
const placing = (rows: number[] | null | undefined) => new Matrix3().set(...((rows ?? [1, 0, 0, 0, 1, 0]) as [number, number, number, number, number, number]), 0, 0, 1);

/** Whether a surface has the UVs that its picture is laid by. */
const hasUv = (s: Surface) => s.uvSet < s.uvSets;

/** A plain tint that lines can lie on. */
const tinted = (s: Surface) => paper({ surface: s, hex: TOKENS.plain, options: { polygonOffset: true, polygonOffsetFactor: 1, polygonOffsetUnits: 1 } });
/** Slots tell themselves apart by the run of their strokes first, by tint second. */
const SLOT_TINTS = ['#E6DCC6', '#A9B8A4', '#8797A3', '#C9A98A', '#B7A9B4', '#9FB3B0'];

/** The material of one look for a surface; `received` alone asks who receives. */
type Look = (s: Surface, receiver: Receiver) => Material;

/** Colours of vertices stand as they are where no material is there to be multiplied by (glTF 2.0 §3.7.2.1). */
const ownColour = (s: Surface, hex: string) => (s.slot < 0 && s.tinted ? '#fff' : hex);

/** Which sides a receiver draws. The renderer turns the winding of mirrored parts back; where a receiver does not, sides swap. */
function sides(s: Surface, r: Receiver) {
  if (r.back_faces === 'shown' || (r.back_faces === 'as-material' && s.doubleSided)) return DoubleSide;
  return s.mirrored && r.mirrored === 'as-stored' ? BackSide : FrontSide;
}

/** Every look: a function from a surface to a material. */
const LOOKS: Partial<Record<LookName, Look>> = {
  /** Both sides, alpha as the picture says, see-through surfaces each in its true place. Cut-out parts take no outline: it would drown the leaves. */
  built(s) {
    const scatter = scattered(s);
    const cut = !scatter && s.imageHasAlpha;
    return paper({ surface: s, asMaterial: true, hex: ownColour(s, s.colour), map: s.map, cut, scatter, ink: cut || scatter ? 0 : 1, opacity: s.opacity });
  },
  /** As the receiver draws: sides, alpha and order by its rules, its own material where there is none, a paper tile for a lost picture. */
  received(s, r) {
    const blended = s.alphaMode === 'blend' && r.alpha === 'as-material';
    const scatter = blended && r.draw_order === 'by-surface';
    const soft = blended && !scatter;
    const cut = r.alpha !== 'none' && (s.alphaMode === 'mask' || (s.alphaMode === 'blend' && r.alpha === 'mask-only'));
    const opacity = blended || cut ? s.opacity : 1;
    const options = { side: sides(s, r) };
    const hex = ownColour(s, s.slot < 0 ? r.default_material : s.colour);
    const cutoff = s.alphaMode === 'blend' ? 0.5 : s.cutoff;
    if (!s.missing) return paper({ surface: { ...s, cutoff }, asMaterial: true, hex, map: s.map, cut, soft, scatter, ink: cut || scatter ? 0 : 1, opacity, options });
    return paper({
      surface: s, soft, opacity, options, uniforms: { uPicture: { value: missingTile(s.missing) } }, pars: 'uniform sampler2D uPicture;\n',
      // Laid on by the dominant world axis, not by UV: the name stays upright and readable whatever the UVs are.
      look: /* glsl */ `
        vec3 wn = (vec4(n, 0.) * viewMatrix).xyz, a = abs(wn);
        vec2 st = a.z >= a.x && a.z >= a.y ? vec2(vWorld.x * sign(wn.z), vWorld.y) : a.x >= a.y ? vec2(-vWorld.z * sign(wn.x), vWorld.y) : vec2(vWorld.x, -vWorld.z);
        c.rgb *= texture2D(uPicture, st / vec2(uTile * 2., uTile)).rgb;`,
    });
  },
  /** Front = plain tint, back = ink hatch over ochre. Mirrored nodes are allowed for by the renderer. */
  facing: (s: Surface) => paper({
    surface: s, hex: TOKENS.plain, uniforms: { uBack: lit(TOKENS.back), uHatch: lit(TOKENS.hatch) }, pars: 'uniform vec3 uBack, uHatch;\n',
    look: 'if (!gl_FrontFacing) c.rgb = mix(uBack * clamp(l, .62, 1.05), uHatch, hatch(gl_FragCoord.xy, 6.5 * uDpr, .95 * uDpr));',
  }),
};

Object.assign(LOOKS, {
  wire: tinted,
  density: tinted,
  normals: tinted,
  pivots: (s: Surface) => paper({ surface: s, hex: TOKENS.plain, soft: true, opacity: 0.55, options: { depthWrite: true } }),
  names: tinted,
  slots: (s: Surface) => paper({
    surface: s, hex: s.slot < 0 ? TOKENS.tile : SLOT_TINTS[s.slot % SLOT_TINTS.length], uniforms: { uRun: { value: s.slot }, uHatch: lit(TOKENS.ink) }, pars: 'uniform float uRun; uniform vec3 uHatch;\n',
    // Each slot has strokes of its own direction; faces without a material are cross-hatched.
    look: /* glsl */ `
      float a = uRun * .9, on = 0.;
      vec2 q = mat2(cos(a), sin(a), -sin(a), cos(a)) * gl_FragCoord.xy;
      on = hatch(vec2(q.x, 0.), (9. + 2. * mod(uRun, 3.)) * uDpr, .45 * uDpr);
      if (uRun < -.5) on = max(hatch(gl_FragCoord.xy, 7. * uDpr, .5 * uDpr), hatch(vec2(gl_FragCoord.x, -gl_FragCoord.y), 7. * uDpr, .5 * uDpr));
      c.rgb = mix(c.rgb, uHatch * .3, on * .5);`,
  }),
  /** Squares of 32 texels of the part's own picture: small squares, many texels. They fade to their mean before they shimmer. */
  checker: (s: Surface) => hasUv(s) ? paper({
    surface: s, uniforms: { uSize: { value: s.pictureSize }, uLine: lit('#2B756F'), uGround: lit(TOKENS.tile) }, pars: 'uniform float uSize; uniform vec3 uLine, uGround;\n',
    look: /* glsl */ `
      vec2 q = vSt * uSize / 32., w = max(fwidth(q), vec2(1e-6)), g = abs(fract(q - .5) - .5) / w;
      float on = 1. - min(smoothstep(.3, 1.3, g.x), smoothstep(.3, 1.3, g.y)), chk = mod(floor(q.x) + floor(q.y), 2.);
      c.rgb = mix(mix(mix(uGround, uLine, .22 * chk), uLine, on), mix(uGround, uLine, .3), smoothstep(.25, .6, max(w.x, w.y))) * clamp(l, .5, 1.08);`,
  }) : crossed(s),
  /** Opaque plain, cut-out dotted, blended in fine strokes; see-through pixels under an opaque material are cross-hatched over ochre. */
  alpha: (s: Surface) => paper({
    surface: s, map: s.map, uniforms: { uMode: { value: { opaque: 0, mask: 1, blend: 2 }[s.alphaMode] }, uPlain: lit(TOKENS.plain), uBack: lit(TOKENS.back), uHatch: lit(TOKENS.hatch), uSoft: lit('#9FC3BB') },
    pars: 'uniform float uMode; uniform vec3 uPlain, uBack, uHatch, uSoft;\n',
    look: /* glsl */ `
      float thin = 1.;
      #ifdef HAS_MAP
        thin = texture2D(uMap, vSt).a;
      #endif
      vec3 tint = uMode < .5 ? uPlain : uSoft;
      float on = uMode < .5 ? 0. : uMode < 1.5 ? step(length(mod(gl_FragCoord.xy, 6. * uDpr) - 3. * uDpr), 1.1 * uDpr) : hatch(gl_FragCoord.xy, 5. * uDpr, .4 * uDpr);
      if (uMode < .5 && thin < .996) { tint = uBack; on = max(hatch(gl_FragCoord.xy, 7. * uDpr, .5 * uDpr), hatch(vec2(gl_FragCoord.x, -gl_FragCoord.y), 7. * uDpr, .5 * uDpr)); }
      c.rgb = mix(tint * clamp(l, .55, 1.08), uHatch, on * .7);`,
  }),
  /** One hue in ten steps by the heaviest weight of a vertex; "no weight at all" is cross-hatched. */
  weights: (s: Surface) => s.hasWeight ? paper({
    surface: s, uniforms: { uLow: lit('#F4EBDA'), uHigh: lit('#16605B') }, pars: 'varying float vWeight; uniform vec3 uLow, uHigh;\n', vertexPars: 'attribute float weight;\n', vertex: 'vWeight = weight;',
    look: /* glsl */ `
      c.rgb = mix(uLow, uHigh, pow(floor(clamp(vWeight, 0., 1.) * 10. + .001) / 10., .85)) * clamp(l, .45, 1.08);
      if (vWeight < -.001) c.rgb = mix(vec3(1.), vec3(.1), .85 * max(hatch(gl_FragCoord.xy, 7. * uDpr, .5 * uDpr), hatch(vec2(gl_FragCoord.x, -gl_FragCoord.y), 7. * uDpr, .5 * uDpr)));`,
  }) : crossed(s),
} satisfies typeof LOOKS);

/** "There is nothing of this here": cross-hatch on paper. */
function crossed(s: Surface) {
  return paper({
    surface: s, hex: TOKENS.tile,
    look: 'c.rgb = mix(c.rgb, vec3(.1), .7 * max(hatch(gl_FragCoord.xy, 7. * uDpr, .5 * uDpr), hatch(vec2(gl_FragCoord.x, -gl_FragCoord.y), 7. * uDpr, .5 * uDpr)));',
  });
}

LOOKS.layout = LOOKS.checker;

/** Whether a surface is drawn see-through and each pixel in its true place. */
export const scattered = (s: Surface) => s.alphaMode === 'blend' || s.opacity < 1;

/** Nothing but the outline of a scattered surface, whose own pixels would ink every dot. */
function outline(s: Surface): Material {
  const m = paper({ surface: s, soft: true, opacity: 0, options: { depthWrite: true } });
  m.visible = scattered(s);
  return m;
}

/**
 * Sets a look on a model. Materials are made once for a surface, look, receiver and UV set; the programs are shared.
 * uvSet: the set that the UV layout is looked at in.
 */
export function applyLook(root: Object3D, look: LookName, receiver: Receiver, uvSet: number) {
  const key = look === 'received' ? drawingOf(receiver) : look === 'layout' ? `layout ${uvSet}` : look;
  const seen = (s: Surface): Surface => (look === 'layout' && uvSet !== s.uvSet ? { ...s, uvSet, placed: null } : s);
  root.traverse((o) => {
    const looks = o.userData.looks as LookName[] | undefined;
    if (looks) o.visible = looks.includes(look) || (o.userData.asLine === true && look === 'received' && receiver.lines);
    const surfaces = o instanceof Mesh ? (o.userData.surfaces as Surface[] | undefined) : undefined;
    if (!surfaces) return;
    if (o.userData.outline) {
      o.visible = look === 'built' || (look === 'received' && receiver.draw_order === 'by-surface' && receiver.alpha === 'as-material');
      (o as Mesh).material = (o.userData.made ??= surfaces.map(outline)) as Material[];
      return;
    }
    const made = (o.userData.made ??= {}) as Record<string, Material[]>;
    (o as Mesh).material = made[key] ??= surfaces.map((s) => LOOKS[look]!(seen(s), receiver));
    for (const m of (o as Mesh).material as ShaderMaterial[]) m.uniforms.uPale!.value = look === 'built' && o.userData.pale ? 0.62 : 0;
  });
}

/** The floor: soft shadow and squares of a stated size (0: none), fading into the paper. One draw, no ink. */
export function floor(step: number, reach: number) {
  const m = paper({
    soft: true, flat: true, ink: 0, uniforms: { uStep: { value: step }, uReach: { value: reach }, uGrid: asShown(TOKENS.grid), uShade: asShown(TOKENS.shadow) },
    pars: 'uniform float uStep, uReach; uniform vec3 uGrid, uShade;\n',
    look: /* glsl */ `
      vec2 q = vWorld.xz / max(uStep, 1e-9), w = max(fwidth(q), vec2(1e-6)), g = abs(fract(q - .5) - .5) / w;
      float line = uStep <= 0. ? 0. : (1. - min(smoothstep(.0, 1., g.x), smoothstep(.0, 1., g.y))) * (1. - smoothstep(.15, .5, max(w.x, w.y)));
      float s = all(lessThan(abs(vSun.xy - .5), vec2(.5))) ? .2 * (1. - sunlight()) : 0., a = line * .75 * (1. - smoothstep(.45, 1., length(vWorld.xz) / uReach)) * (1. - s);
      c = vec4((uShade * s + uGrid * a) / max(s + a, 1e-4), s + a);`,
  });
  return new Mesh(new PlaneGeometry(reach * 2, reach * 2).rotateX(-Math.PI / 2), m);
}

/** Flat ink for lines and points, kept out of the outline. */
export const lineMaterial = (hex = TOKENS.ink, opacity = 0.85, more: Partial<Paper> = {}) => paper({ hex, opacity, soft: true, lines: true, ink: 0, ...more });

const tiles = new Map<string, Texture>();

/** Paper tile, 2 : 1, that names the picture the model asked for. */
export function missingTile(name: string): Texture {
  const known = tiles.get(name);
  if (known) return known;
  const canvas = Object.assign(document.createElement('canvas'), { width: 512, height: 256 });
  const x = canvas.getContext('2d', { willReadFrequently: true })!;
  x.fillStyle = TOKENS.tile;
  x.fillRect(0, 0, 512, 256);
  x.strokeStyle = TOKENS.ink;
  x.lineWidth = 5;
  x.setLineDash([0.5, 12.6]);
  x.lineCap = 'round';
  x.strokeRect(12, 12, 488, 232);
  x.textAlign = 'center';
  x.fillStyle = '#566468';
  x.font = 'italic 36px Fraunces, Georgia, serif';
  x.fillText('wanted', 256, 100);
  x.fillStyle = TOKENS.ink;
  for (let size = 60; size > 14; size -= 2) {
    x.font = `500 ${size}px "IBM Plex Mono", monospace`;
    if (x.measureText(name).width < 440) break;
  }
  x.fillText(name, 256, 160);
  const t = new CanvasTexture(canvas);
  t.wrapS = t.wrapT = RepeatWrapping;
  t.colorSpace = SRGBColorSpace;
  tiles.set(name, t);
  return t;
}
