// The binary display copy from the server: a JSON header and typed arrays that are used as they lie, without a copy.
import {
  BufferAttribute,
  BufferGeometry,
  ClampToEdgeWrapping,
  Color,
  Group,
  LinearSRGBColorSpace,
  LineSegments,
  Matrix4,
  Mesh,
  RepeatWrapping,
  SRGBColorSpace,
  Texture,
  Vector3,
} from 'three';
import { lightGeometry } from './light';
import { lineMaterial, scattered, type Surface } from './looks';
import { boneTexture, carriers, carryAlong, Rig, type Channel, type Posing, type RigNode } from './rig';

interface Section {
  at: number;
  count: number;
}
interface Run {
  start: number;
  count: number;
  material: number;
}
interface MeshHeader {
  name: string;
  centre: number[];
  triangles: number;
  positions: Section;
  normals: Section;
  index: Section;
  faces: Section;
  vertex: Section;
  lines?: Section;
  weight?: Section;
  colour?: Section;
  groups: Run[];
  sets?: { names: string[]; of: Section };
  light?: { index: Section; groups: Run[] };
  reduced?: { from: number; step: number };
  [uvs: `uv${number}`]: Section | undefined;
  bound?: { centre: number[]; positions: Section; normals: Section };
  morphs?: { weights: number[]; offsets: Section[] };
  joints?: { names: string[]; nodes: number[]; starts: Section; joint: Section; weight: Section };
}
/** How a picture is laid on. */
interface Laid {
  image: number | null;
  uvSet: number;
  placed: number[] | null;
  repeat: boolean;
}
interface MaterialHeader extends Laid {
  name: string;
  colour: number[];
  linear: boolean;
  alphaMode: 'opaque' | 'mask' | 'blend';
  cutoff: number | null;
  doubleSided: boolean;
  missing: string | null;
  glow: (Laid & { colour: number[] }) | null;
  unlit: boolean;
  inputs: [role: string, image: string][];
}
interface Header {
  version: number;
  origin: number[];
  bounds: { min: number[]; max: number[] };
  parts: { node: number; name: string; mesh: number; matrix: number[]; under: number[]; skin: number | null; role?: string }[];
  rig: {
    root: number[];
    nodes: RigNode[];
    skins: { joints: number[]; inverse: Section }[];
    clips: { name: string; seconds: number; channels: (Omit<Channel, 'times' | 'values'> & { times: Section; values: Section })[] }[];
  } | null;
  places: Record<string, number[]>;
  meshes: MeshHeader[];
  materials: MaterialHeader[];
  images: ({ at: number; bytes: number; alpha: boolean; width: number; height: number } | null)[];
}

/** What evidence needs to know of a drawn mesh: which polygon each triangle is of, which stored vertex each drawn one is. */
export interface Origins {
  faces: Uint32Array;
  vertex: Uint32Array;
}

/** Sets of faces that the file names: each triangle's, by its place among the names. */
export interface Sets {
  names: string[];
  of: Uint32Array;
}

/** Weights by joint: drawn vertex v owns entries starts[v] to starts[v + 1]; weights in 65,535 steps, the heaviest of a vertex first. */
export interface Joints {
  names: string[];
  nodes: number[];
  starts: Uint32Array;
  joint: Uint16Array;
  weight: Uint16Array;
}

export interface DisplayModel {
  root: Group;
  parts: Map<number, Mesh>;
  names: Map<number, string>;
  materials: string[];
  /** Roles and images of each material. */
  inputs: [role: string, image: string][][];
  origin: Vector3;
  triangles: number;
  /** Nodes that draw nothing themselves: where they are. */
  places: Map<number, Vector3>;
  /** Parts below each such node. */
  below: Map<number, number[]>;
  /** Triangles of the model where the copy that is drawn holds fewer; 0 where it holds all. */
  reducedFrom: number;
  /** What moves it; null where nothing can. */
  rig: Rig | null;
}

/** Shapes that a clip drives: what is in the drawn vertices already, and the offsets of each target. */
export interface Shapes {
  weights: number[];
  offsets: Float32Array[];
  /** The attribute that they shape, and its values at rest. */
  attribute: BufferAttribute;
  still: Float32Array;
}

/** Reads a display copy. Throws an Error with one sentence where it is not one. */
export async function readDisplayCopy(data: ArrayBuffer): Promise<DisplayModel> {
  const view = new DataView(data);
  if (data.byteLength < 8 || view.getUint32(0, false) !== 0x484c5354)
    throw new Error('What the server sent is no display copy; reload the page.');
  const length = view.getUint32(4, true);
  const header = JSON.parse(new TextDecoder().decode(new Uint8Array(data, 8, length))) as Header;
  const base = 8 + length;
  const floats = (s: Section) => new Float32Array(data, base + s.at, s.count);
  const words = (s: Section) => new Uint32Array(data, base + s.at, s.count);

  const textures = await Promise.all(
    header.images.map((image) => (image ? texture(new Uint8Array(data, base + image.at, image.bytes)) : null)),
  );
  const geometries = header.meshes.map((m) => {
    const g = new BufferGeometry();
    g.setAttribute('position', new BufferAttribute(floats(m.positions), 3));
    g.setAttribute('normal', new BufferAttribute(new Int8Array(data, base + m.normals.at, m.normals.count), 4, true));
    for (let k = 0; m[`uv${k}`]; k++) g.setAttribute(uvName(k), new BufferAttribute(floats(m[`uv${k}`]!), 2));
    if (m.colour) g.setAttribute('tint', new BufferAttribute(new Uint8Array(data, base + m.colour.at, m.colour.count), 4, true));
    if (m.weight) g.setAttribute('weight', new BufferAttribute(floats(m.weight), 1));
    g.setIndex(new BufferAttribute(words(m.index), 1));
    m.groups.forEach((group, k) => g.addGroup(group.start, group.count, k));
    g.userData.origins = { faces: words(m.faces), vertex: words(m.vertex) } satisfies Origins;
    g.userData.reduced = !!m.reduced;
    if (m.sets) g.userData.sets = { names: m.sets.names, of: words(m.sets.of) } satisfies Sets;
    if (m.joints) {
      const { names, nodes, starts, joint, weight } = m.joints;
      g.userData.joints = {
        names,
        nodes,
        starts: words(starts),
        joint: new Uint16Array(data, base + joint.at, joint.count),
        weight: new Uint16Array(data, base + weight.at, weight.count),
      } satisfies Joints;
    }
    if (m.bound && header.rig) {
      g.setAttribute('bound', new BufferAttribute(floats(m.bound.positions), 3));
      const turned = new Int8Array(data, base + m.bound.normals.at, m.bound.normals.count);
      g.setAttribute('boundNormal', new BufferAttribute(turned, 4, true));
      const skin = header.parts.find((p) => p.mesh === header.meshes.indexOf(m))?.skin ?? null;
      if (skin !== null) carriers(g, g.userData.joints as Joints, header.rig.skins[skin]!.joints.length);
    }
    if (m.morphs) {
      const attribute = (g.attributes.bound ?? g.attributes.position) as BufferAttribute;
      const shapes: Shapes = {
        weights: m.morphs.weights,
        offsets: m.morphs.offsets.map(floats),
        attribute,
        still: (attribute.array as Float32Array).slice(),
      };
      g.userData.shapes = shapes;
    }
    if (m.light) {
      g.computeBoundingSphere();
      g.userData.light = lightGeometry(g, words(m.light.index), m.light.groups);
    }
    return g;
  });
  const rig = header.rig && readRig(header.rig, floats, (s) => new Float64Array(data, base + s.at, s.count));
  const root = new Group();
  const parts = new Map<number, Mesh>();
  const below = new Map<number, number[]>();
  let triangles = 0;
  header.parts.forEach((part, number) => {
    const m = header.meshes[part.mesh]!;
    const mesh = new Mesh(geometries[part.mesh]!);
    mesh.userData.light = mesh.geometry.userData.light;
    mesh.userData.node = part.node;
    mesh.userData.role = part.role ?? '';
    mesh.userData.pivot = new Vector3(...m.centre).negate();
    mesh.matrixAutoUpdate = false;
    mesh.matrix = new Matrix4().fromArray(part.matrix);
    const mirrored = mesh.matrix.determinant() < 0;
    const posing = rig && part.skin !== null && m.bound ? posingOf(rig, part.node, part.skin, m.bound.centre) : null;
    Object.assign(mesh.userData, { posing, still: mesh.matrix.clone(), middle: new Vector3(...m.centre) });
    if (posing) {
      // Where it goes is not where its vertices lie.
      mesh.frustumCulled = false;
      rig!.hand(mesh, posing);
    }
    mesh.userData.surfaces = m.groups.map((g) => ({
      ...surface(number, header, g.material, uvSets(geometries[part.mesh]!), textures),
      hasWeight: !!m.weight,
      tinted: !!m.colour,
      mirrored,
      posing,
    }));
    if ((mesh.userData.surfaces as Surface[]).some(scattered)) mesh.add(outlines(mesh));
    if (m.lines) mesh.add(lines(mesh, words(m.lines)));
    root.add(mesh);
    parts.set(part.node, mesh);
    for (const above of part.under) below.set(above, [...(below.get(above) ?? []), part.node]);
    triangles += m.triangles;
  });
  root.updateMatrixWorld(true);
  const names = new Map(header.parts.map((p) => [p.node, p.name]));
  const places = new Map(Object.entries(header.places).map(([node, p]) => [Number(node), new Vector3(...p)]));
  const before = header.parts.reduce((n, p) => n + (header.meshes[p.mesh]!.reduced?.from ?? header.meshes[p.mesh]!.triangles), 0);
  return {
    root,
    parts,
    names,
    reducedFrom: before > triangles ? before : 0,
    materials: header.materials.map((m) => m.name),
    inputs: header.materials.map((m) => m.inputs),
    places,
    below,
    origin: new Vector3(...header.origin),
    triangles,
    rig,
  };
}

function readRig(r: NonNullable<Header['rig']>, floats: (s: Section) => Float32Array, doubles: (s: Section) => Float64Array) {
  const skins = r.skins.map(({ joints, inverse }) => {
    const all = doubles(inverse);
    return { joints, inverse: joints.map((_, k) => new Matrix4().fromArray(all, 16 * k)) };
  });
  const clips = r.clips.map((c) => ({
    ...c,
    channels: c.channels.map((x) => ({ ...x, times: floats(x.times), values: floats(x.values) })),
  }));
  return new Rig(r.nodes, skins, clips, new Matrix4().fromArray(r.root));
}

const posingOf = (rig: Rig, node: number, skin: number, centre: number[]): Posing => ({
  uniforms: { uBones: { value: boneTexture(rig.skins[skin]!.joints.length + 2) }, uPosed: { value: 0 } },
  skin,
  node,
  centre: new Vector3(...centre),
});

/** The attribute that holds a UV set. */
export const uvName = (set: number) => (set ? `uv${set}` : 'uv');

/** How many UV sets a geometry has. */
export function uvSets(g: BufferGeometry) {
  let count = 0;
  while (g.attributes[uvName(count)]) count++;
  return count;
}

function surface(id: number, header: Header, number: number, uvSets: number, textures: (Texture | null)[]): Surface {
  const m = header.materials[number];
  const bare = {
    id,
    slot: number,
    uvSets,
    uvSet: m?.uvSet ?? 0,
    placed: m?.placed ?? null,
    hasWeight: false,
    tinted: false,
    mirrored: false,
    pictureSize: 1024,
    glow: null,
    unlit: !!m?.unlit,
    posing: null,
  };
  if (!m)
    return {
      ...bare,
      colour: '#cfc5b2',
      map: null,
      missing: null,
      alphaMode: 'opaque',
      cutoff: 0.5,
      imageHasAlpha: false,
      opacity: 1,
      doubleSided: false,
    };
  const picture = (laid: Laid) => {
    const map = laid.image !== null && laid.uvSet < uvSets ? (textures[laid.image] ?? null) : null;
    if (map) map.wrapS = map.wrapT = laid.repeat ? RepeatWrapping : ClampToEdgeWrapping;
    return map;
  };
  const shown = ([r = 1, g = 1, b = 1]: number[]) =>
    `#${new Color().setRGB(r, g, b, m.linear ? LinearSRGBColorSpace : SRGBColorSpace).getHexString()}`;
  return {
    ...bare,
    pictureSize: (m.image !== null && header.images[m.image]?.width) || 1024,
    colour: shown(m.colour),
    map: picture(m),
    missing: m.missing,
    alphaMode: m.alphaMode,
    cutoff: m.cutoff ?? 0.5,
    imageHasAlpha: m.image !== null && !!header.images[m.image]?.alpha,
    opacity: m.colour[3] ?? 1,
    doubleSided: m.doubleSided,
    glow: m.glow && { colour: shown(m.glow.colour), map: picture(m.glow), uvSet: m.glow.uvSet, placed: m.glow.placed },
  };
}

/** A second drawing of a part, for the outlines of its see-through surfaces. */
function outlines(mesh: Mesh) {
  const drawn = new Mesh(mesh.geometry);
  drawn.userData = { outline: true, surfaces: mesh.userData.surfaces, light: mesh.userData.light };
  return drawn;
}

function lines(mesh: Mesh, index: Uint32Array) {
  const g = new BufferGeometry();
  g.setAttribute('position', mesh.geometry.attributes.position!);
  g.setIndex(new BufferAttribute(index, 1));
  const drawn = new LineSegments(carryAlong(mesh.geometry, g), lineMaterial(undefined, undefined, { posing: mesh.userData.posing }));
  drawn.userData.looks = ['built'];
  drawn.userData.asLine = true;
  return drawn;
}

async function texture(bytes: Uint8Array<ArrayBuffer>): Promise<Texture | null> {
  try {
    const bitmap = await createImageBitmap(new Blob([bytes], { type: 'image/png' }), { premultiplyAlpha: 'none' });
    const t = new Texture(bitmap);
    t.flipY = false;
    t.colorSpace = SRGBColorSpace;
    t.anisotropy = 4;
    t.needsUpdate = true;
    return t;
  } catch {
    return null;
  }
}
