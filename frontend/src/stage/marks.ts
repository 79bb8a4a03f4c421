// Marks: evidence on the model. Faces, edges and vertices are extra index buffers over the part's own positions, so no
// vertex is copied; on a reduced part the server sends the marked places themselves. A fainter second drawing shows what
// lies hidden.
import { Box3, BufferAttribute, BufferGeometry, GreaterDepth, Group, LessEqualDepth, LineSegments, Mesh, Points, Vector3 } from 'three';
import { clusters } from './clusters';
import type { DisplayModel, Origins } from './displayCopy';
import { lightGeometry } from './light';
import { lineMaterial, paper } from './looks';
import type { Posing } from './rig';

export interface Evidence {
  kind: string;
  node: number | null;
  indices: Int32Array;
  /** Drawn positions of the marked elements where the part is reduced, from its mesh's centre. */
  places?: Float32Array;
}

/** Marks are drawn in a layer of their own too, so that a flight can ask what is seen of them. */
export const MARKS = 1;
const HATCH = 'c.a *= mix(.3, 1., hatch(vec2(gl_FragCoord.x, -gl_FragCoord.y), 7. * uDpr, .7 * uDpr));';
const CORNERS: Record<string, number> = { faces: 3, edges: 2, vertices: 1 };

/** Drawn things to mark: an index over a part's vertices, or places of their own with an index that counts through them. */
function geometry(mesh: Mesh, evidence: Evidence): BufferGeometry {
  const g = new BufferGeometry();
  if (evidence.places) {
    g.setAttribute('position', new BufferAttribute(evidence.places, 3));
    g.setIndex(
      new BufferAttribute(
        Uint32Array.from({ length: evidence.places.length / 3 }, (_, i) => i),
        1,
      ),
    );
    g.userData.vertex = welded(evidence.places);
    return g;
  }
  for (const [name, attribute] of Object.entries(mesh.geometry.attributes)) g.setAttribute(name, attribute);
  const index = ofMaterials(evidence)
    ? materialsIndex(mesh, evidence.indices)
    : evidence.kind === 'faces'
      ? facesIndex(mesh, evidence.indices)
      : evidence.kind in CORNERS
        ? drawnVertices(mesh, evidence.indices)
        : (mesh.geometry.index!.array as Uint32Array);
  g.setIndex(new BufferAttribute(index, 1));
  g.userData.vertex = (mesh.geometry.userData.origins as Origins).vertex;
  return g;
}

/** Equal places get equal numbers, as stored vertices would. */
function welded(places: Float32Array) {
  const seen = new Map<string, number>();
  return Uint32Array.from({ length: places.length / 3 }, (_, i) => {
    const key = `${places[3 * i]} ${places[3 * i + 1]} ${places[3 * i + 2]}`;
    return seen.get(key) ?? (seen.set(key, i), i);
  });
}

/** Index of the triangles whose polygon is marked. */
export function facesIndex(mesh: Mesh, marked: Int32Array) {
  const { faces } = mesh.geometry.userData.origins as Origins;
  const src = mesh.geometry.index!.array as Uint32Array;
  const wanted = new Uint8Array(marked.reduce((m, f) => Math.max(m, f), 0) + 1);
  for (const f of marked) wanted[f] = 1;
  let count = 0;
  for (const f of faces) count += f < wanted.length ? wanted[f]! : 0;
  const out = new Uint32Array(count * 3);
  for (let t = 0, k = 0; t < faces.length; t++) {
    if (faces[t]! >= wanted.length || !wanted[faces[t]!]) continue;
    out[k++] = src[3 * t]!;
    out[k++] = src[3 * t + 1]!;
    out[k++] = src[3 * t + 2]!;
  }
  return out;
}

/** Images are marked by the materials that use them, which is what the server names for them. */
const ofMaterials = (evidence: Evidence) => evidence.kind === 'materials' || evidence.kind === 'images';

/** Joints and clips are marked by nodes, which is what the server names for them. */
const ofNodes = (evidence: Evidence) => ['nodes', 'joints', 'clips'].includes(evidence.kind);

/** Index of the triangles that have one of some materials. */
function materialsIndex(mesh: Mesh, materials: Int32Array) {
  const src = mesh.geometry.index!.array as Uint32Array;
  const surfaces = mesh.userData.surfaces as { slot: number }[];
  const runs = mesh.geometry.groups.filter((g) => materials.includes(surfaces[g.materialIndex ?? 0]!.slot));
  return Uint32Array.from(runs.flatMap((g) => [...src.subarray(g.start, g.start + g.count)]));
}

/** Drawn vertex for each of some stored vertices. */
function drawnVertices(mesh: Mesh, stored: Int32Array) {
  const { vertex } = mesh.geometry.userData.origins as Origins;
  const place = new Uint32Array(
    Math.max(
      vertex.reduce((m, v) => Math.max(m, v), 0),
      stored.reduce((m, v) => Math.max(m, v), 0),
    ) + 1,
  );
  for (let i = vertex.length - 1; i >= 0; i--) place[vertex[i]!] = i;
  return Uint32Array.from(stored, (v) => place[v]!);
}

function drawn(g: BufferGeometry, kind: string, hex: string, posing: Posing | null) {
  const group = new Group();
  if (kind === 'edges') {
    group.add(new LineSegments(g, lineMaterial(hex, 1, { posing })));
  } else if (kind === 'vertices') {
    group.add(
      new Points(
        g,
        lineMaterial(hex, 1, {
          posing,
          uniforms: { uPoint: { value: 7 } },
          pars: 'uniform float uPoint;\n',
          vertex: 'gl_PointSize = uPoint;',
          look: 'if (length(gl_PointCoord - .5) > .5) discard;',
        }),
      ),
    );
  } else {
    const make = (opacity: number, depthFunc: typeof LessEqualDepth | typeof GreaterDepth) =>
      paper({
        hex,
        posing,
        soft: true,
        flat: true,
        ink: 0,
        opacity,
        options: { depthFunc, polygonOffset: true, polygonOffsetFactor: -1, polygonOffsetUnits: -2 },
        look: HATCH,
      });
    group.add(new Mesh(g, make(0.8, LessEqualDepth)), new Mesh(g, make(0.18, GreaterDepth)));
    const few = thinned(g);
    if (few) for (const o of group.children) o.userData.light = few;
  }
  group.children.forEach((o, k) => {
    o.renderOrder = (kind in CORNERS && kind !== 'faces' ? 4 : 2) + k;
    o.layers.enable(MARKS);
  });
  return group;
}

/** Triangles of marks from which on a part of them stands for all while something moves. */
const MANY = 200_000;

/** Every so many of a great number of marked triangles, null where they are few. */
function thinned(g: BufferGeometry) {
  const index = g.index!.array;
  const step = Math.ceil(index.length / 3 / MANY);
  if (step < 2) return null;
  const out = new Uint32Array(3 * Math.ceil(index.length / 3 / step));
  for (let t = 0, k = 0; t < index.length / 3; t += step) for (let c = 0; c < 3; c++) out[k++] = index[3 * t + c]!;
  return lightGeometry(g, out, []);
}

/** Marks evidence on a model; returns the drawn groups (already hung into the model), the box around all and one a place. */
export function mark(model: DisplayModel, evidence: Evidence, hex: string): { groups: Group[]; box: Box3; places: Box3[] } {
  const groups: Group[] = [];
  const box = new Box3();
  const whole = !(evidence.kind in CORNERS);
  const named = ofMaterials(evidence)
    ? [...model.parts.keys()]
    : ofNodes(evidence)
      ? [...evidence.indices]
      : evidence.node === null
        ? []
        : [evidence.node];
  // A group stands for the parts below it; a node with nothing to draw is a place.
  const nodes = [...new Set(named.flatMap((n) => (model.parts.has(n) ? [n] : (model.below.get(n) ?? []))))];
  // What "next place" steps through: a named node each, or the clusters of what is marked on a part.
  const spots: Box3[] = [];
  for (const n of named) {
    const at = model.places.get(n);
    if (model.parts.has(n) || model.below.has(n)) {
      if (ofNodes(evidence))
        spots.push(
          (model.parts.has(n) ? [n] : model.below.get(n)!).reduce(
            (b, p) => b.union(new Box3().setFromObject(model.parts.get(p)!)),
            new Box3(),
          ),
        );
    } else if (at) {
      box.expandByPoint(at);
      spots.push(new Box3(at.clone(), at.clone()));
    }
  }
  for (const node of nodes) {
    const mesh = model.parts.get(node);
    if (!mesh) continue;
    const g = geometry(mesh, evidence);
    if (!g.index!.count) continue;
    const posing = evidence.places ? null : ((mesh.userData.posing as Posing | null) ?? null);
    const group = drawn(g, evidence.kind, hex, posing);
    grow(box, mesh, g);
    if (ofMaterials(evidence)) spots.push(new Box3().setFromObject(mesh));
    if (!whole) spots.push(...clusters(g, CORNERS[evidence.kind]!, mesh.matrixWorld));
    mesh.add(group);
    group.updateMatrixWorld(true);
    groups.push(group);
  }
  return { groups, box, places: spots };
}

export function unmark(groups: Group[]) {
  for (const group of groups) {
    group.removeFromParent();
    group.traverse((o) => {
      if (!(o instanceof Mesh || o instanceof LineSegments || o instanceof Points)) return;
      o.geometry.setIndex(null);
      for (const m of [o.material].flat()) m.dispose();
    });
  }
}

function grow(box: Box3, mesh: Mesh, g: BufferGeometry) {
  const positions = g.attributes.position!;
  const index = g.index!.array;
  const v = new Vector3();
  const step = Math.max(1, Math.floor(index.length / 20_000));
  for (let i = 0; i < index.length; i += step)
    box.expandByPoint(v.fromBufferAttribute(positions, index[i]!).applyMatrix4(mesh.matrixWorld));
}
