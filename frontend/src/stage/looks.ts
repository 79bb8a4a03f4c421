// Looks: how the same model is drawn as built, as received, or under a lens.
//
// One small shader of our own ("paper"). It writes two outputs in one geometry pass:
//   location 0  colour, encoded for the screen
//   location 1  what the ink pass reads: view normal xy, part number, 1
// Alpha of location 1 is the blending switch: 1 replaces what is there, 0 keeps it.
import {
  BackSide,
  CanvasTexture,
  DoubleSide,
  FrontSide,
  Matrix3,
  Mesh,
  Object3D,
  PlaneGeometry,
  RepeatWrapping,
  ShaderMaterial,
  SRGBColorSpace,
  type Material,
  type ShaderMaterialParameters,
  type Texture,
} from 'three';
import { drawingOf, type Receiver } from './receiver';
import { asShown, lit, TOKENS } from './tokens';
import { MOST, type Posing } from './rig';
import { ALPHA, CHECKER, FACING, FLOOR, FRAGMENT, MISSING, SLOTS, VERTEX, WEIGHTS } from './shaders';

type Uniforms = Record<string, { value: unknown }>;
export type LookName =
  | 'built'
  | 'received'
  | 'facing'
  | 'wire'
  | 'density'
  | 'slots'
  | 'checker'
  | 'alpha'
  | 'weights'
  | 'layout'
  | 'normals'
  | 'pivots'
  | 'names';

/** Uniforms that every material shares; the sun adds its own. uTile: height of a paper tile in metres; uSample: which still frame. */
export const shared: Uniforms = { uDpr: { value: 1 }, uTile: { value: 0.25 }, uSample: { value: 0 } };

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
  /** What moves it, where it is skinned. */
  posing: Posing | null;
}

interface Paper {
  /** asMaterial: vertex colours, glow and the colour of the surface's own material are drawn. */
  surface?: Surface;
  asMaterial?: boolean;
  /** What moves it, where no surface says so; joints that a receiver lets carry a vertex, and whether it lets the part's node count. */
  posing?: Posing | null;
  most?: number;
  nodeToo?: boolean;
  hex?: string;
  map?: Texture | null;
  cut?: boolean;
  soft?: boolean;
  scatter?: boolean;
  flat?: boolean;
  lines?: boolean;
  ink?: number;
  opacity?: number;
  uniforms?: Uniforms;
  pars?: string;
  vertexPars?: string;
  vertex?: string;
  look?: string;
  options?: ShaderMaterialParameters;
}

/** A paper material. `look` runs after lighting and may change `c`; `l` is the light, `n` the view normal. */
export function paper({
  surface,
  asMaterial = false,
  posing = surface?.posing ?? null,
  most = MOST,
  nodeToo = false,
  hex = '#fff',
  map = null,
  cut = false,
  soft = false,
  scatter = false,
  flat = false,
  lines = false,
  ink = 1,
  opacity = 1,
  uniforms = {},
  pars = '',
  vertexPars = '',
  vertex = '',
  look = '',
  options = {},
}: Paper) {
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
  if (posing) defines.POSED = '';
  return new ShaderMaterial({
    defines,
    transparent: soft,
    depthWrite: !soft,
    side: DoubleSide,
    ...options,
    vertexShader: VERTEX.replace('LOOK_PARS', pars + vertexPars).replace('LOOK', vertex),
    fragmentShader: FRAGMENT.replace('LOOK_PARS', pars).replace('LOOK', look),
    uniforms: {
      ...shared,
      uColour: (flat || lines ? asShown : lit)(hex),
      uOpacity: { value: opacity },
      uMap: { value: map },
      uInk: { value: ink },
      uPlaced: { value: placing(surface?.placed) },
      uPale: { value: 0 },
      uCutoff: { value: surface?.cutoff ?? 0.5 },
      uPart: { value: (((surface?.id ?? 0) % 254) + 1) / 255 },
      ...uniforms,
      ...(posing && { ...posing.uniforms, uMost: { value: most }, uNodeToo: { value: Number(nodeToo) } }),
      ...(glow && { uGlow: lit(glow.colour), uGlowMap: { value: glow.map }, uGlowPlaced: { value: placing(glow.placed) } }),
    },
  });
}

/** Rows of a (2, 3) matrix, or nothing, as the matrix that takes UVs to where a picture is laid. */
const placing = (rows: number[] | null | undefined) =>
  new Matrix3().set(...((rows ?? [1, 0, 0, 0, 1, 0]) as [number, number, number, number, number, number]), 0, 0, 1);

/** Whether a surface has the UVs that its picture is laid by. */
const hasUv = (s: Surface) => s.uvSet < s.uvSets;

/** A plain tint that lines can lie on. */
const tinted = (s: Surface) =>
  paper({ surface: s, hex: TOKENS.plain, options: { polygonOffset: true, polygonOffsetFactor: 1, polygonOffsetUnits: 1 } });
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
    return paper({
      surface: s,
      asMaterial: true,
      hex: ownColour(s, s.colour),
      map: s.map,
      cut,
      scatter,
      ink: cut || scatter ? 0 : 1,
      opacity: s.opacity,
    });
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
    const carried = { most: Math.min(r.influences ?? MOST, MOST), nodeToo: r.skinned_node === 'counts' };
    if (!s.missing)
      return paper({
        surface: { ...s, cutoff },
        asMaterial: true,
        hex,
        map: s.map,
        cut,
        soft,
        scatter,
        ink: cut || scatter ? 0 : 1,
        opacity,
        options,
        ...carried,
      });
    return paper({
      surface: s,
      soft,
      opacity,
      options,
      ...carried,
      uniforms: { uPicture: { value: missingTile(s.missing) } },
      pars: 'uniform sampler2D uPicture;\n',
      // Laid on by the dominant world axis, not by UV: the name stays upright and readable whatever the UVs are.
      look: MISSING,
    });
  },
  /** Front = plain tint, back = ink hatch over ochre. Mirrored nodes are allowed for by the renderer. */
  facing: (s: Surface) =>
    paper({
      surface: s,
      hex: TOKENS.plain,
      uniforms: { uBack: lit(TOKENS.back), uHatch: lit(TOKENS.hatch) },
      pars: 'uniform vec3 uBack, uHatch;\n',
      look: FACING,
    }),
};

Object.assign(LOOKS, {
  wire: tinted,
  density: tinted,
  normals: tinted,
  pivots: (s: Surface) => paper({ surface: s, hex: TOKENS.plain, soft: true, opacity: 0.55, options: { depthWrite: true } }),
  names: tinted,
  slots: (s: Surface) =>
    paper({
      surface: s,
      hex: s.slot < 0 ? TOKENS.tile : SLOT_TINTS[s.slot % SLOT_TINTS.length],
      uniforms: { uRun: { value: s.slot }, uHatch: lit(TOKENS.ink) },
      pars: 'uniform float uRun; uniform vec3 uHatch;\n',
      // Each slot has strokes of its own direction; faces without a material are cross-hatched.
      look: SLOTS,
    }),
  /** Squares of 32 texels of the part's own picture: small squares, many texels. They fade to their mean before they shimmer. */
  checker: (s: Surface) =>
    hasUv(s)
      ? paper({
          surface: s,
          uniforms: { uSize: { value: s.pictureSize }, uLine: lit('#2B756F'), uGround: lit(TOKENS.tile) },
          pars: 'uniform float uSize; uniform vec3 uLine, uGround;\n',
          look: CHECKER,
        })
      : crossed(s),
  /** Opaque plain, cut-out dotted, blended in fine strokes; see-through pixels under an opaque material are cross-hatched over ochre. */
  alpha: (s: Surface) =>
    paper({
      surface: s,
      map: s.map,
      uniforms: {
        uMode: { value: { opaque: 0, mask: 1, blend: 2 }[s.alphaMode] },
        uPlain: lit(TOKENS.plain),
        uBack: lit(TOKENS.back),
        uHatch: lit(TOKENS.hatch),
        uSoft: lit('#9FC3BB'),
      },
      pars: 'uniform float uMode; uniform vec3 uPlain, uBack, uHatch, uSoft;\n',
      look: ALPHA,
    }),
  /** One hue in ten steps by the heaviest weight of a vertex; "no weight at all" is cross-hatched. */
  weights: (s: Surface) =>
    s.hasWeight
      ? paper({
          surface: s,
          uniforms: { uLow: lit('#F4EBDA'), uHigh: lit('#16605B') },
          pars: 'varying float vWeight; uniform vec3 uLow, uHigh;\n',
          vertexPars: 'attribute float weight;\n',
          vertex: 'vWeight = weight;',
          look: WEIGHTS,
        })
      : crossed(s),
} satisfies typeof LOOKS);

/** "There is nothing of this here": cross-hatch on paper. */
function crossed(s: Surface) {
  return paper({
    surface: s,
    hex: TOKENS.tile,
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
    const still = o.userData.stillOnly === true && !!(o.parent?.userData.posing as Posing | undefined)?.uniforms.uPosed.value;
    if (looks) o.visible = (!still && looks.includes(look)) || (o.userData.asLine === true && look === 'received' && receiver.lines);
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

/** The floor: a mat of reed with squares of a stated size (0: neither), and the shadow, fading into the paper. One draw, no ink. */
export function floor(step: number, reach: number) {
  const m = paper({
    soft: true,
    flat: true,
    ink: 0,
    uniforms: {
      uStep: { value: step },
      uReach: { value: reach },
      uGrid: asShown(TOKENS.grid),
      uShade: asShown(TOKENS.shadow),
      uMat: asShown(TOKENS.mat),
    },
    pars: 'uniform float uStep, uReach; uniform vec3 uGrid, uShade, uMat;\n',
    look: FLOOR,
  });
  return new Mesh(new PlaneGeometry(reach * 2, reach * 2).rotateX(-Math.PI / 2), m);
}

/** Flat ink for lines and points, kept out of the outline. */
export const lineMaterial = (hex = TOKENS.ink, opacity = 0.85, more: Partial<Paper> = {}) =>
  paper({ hex, opacity, soft: true, lines: true, ink: 0, ...more });

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
