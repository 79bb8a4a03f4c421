// Marks: evidence on the model. Faces, edges and vertices are extra index buffers over the part's own positions, so no
// vertex is copied. A fainter second drawing shows what lies hidden.
import { Box3, BufferAttribute, BufferGeometry, GreaterDepth, Group, LessEqualDepth, LineSegments, Mesh, Points, Vector3 } from 'three';
import type { DisplayModel, Origins } from './displayCopy';
import { lineMaterial, paper } from './looks';

export interface Evidence { kind: string; node: number | null; indices: Int32Array }

const HATCH = 'c.a *= mix(.3, 1., hatch(vec2(gl_FragCoord.x, -gl_FragCoord.y), 7. * uDpr, .7 * uDpr));';

function share(mesh: Mesh, index: Uint32Array) {
  const g = new BufferGeometry();
  for (const [name, attribute] of Object.entries(mesh.geometry.attributes)) g.setAttribute(name, attribute);
  g.setIndex(new BufferAttribute(index, 1));
  return g;
}

function tint(mesh: Mesh, index: Uint32Array, hex: string) {
  const g = share(mesh, index);
  const group = new Group();
  const make = (opacity: number, depthFunc: typeof LessEqualDepth | typeof GreaterDepth) =>
    paper({ hex, soft: true, flat: true, ink: 0, opacity, options: { depthFunc, polygonOffset: true, polygonOffsetFactor: -1, polygonOffsetUnits: -2 }, look: HATCH });
  const seen = new Mesh(g, make(0.8, LessEqualDepth));
  const hidden = new Mesh(g, make(0.18, GreaterDepth));
  seen.renderOrder = 2;
  hidden.renderOrder = 3;
  group.add(seen, hidden);
  return group;
}

/** Index of the triangles whose polygon is marked. */
function facesIndex(mesh: Mesh, marked: Int32Array) {
  const { faces } = mesh.geometry.userData.origins as Origins;
  const src = mesh.geometry.index!.array as Uint32Array;
  const wanted = new Set(marked);
  const out: number[] = [];
  for (let t = 0; t < faces.length; t++) if (wanted.has(faces[t]!)) out.push(src[3 * t]!, src[3 * t + 1]!, src[3 * t + 2]!);
  return Uint32Array.from(out);
}

/** Drawn vertex for each of some stored vertices. */
function drawnVertices(mesh: Mesh, stored: Int32Array) {
  const { vertex } = mesh.geometry.userData.origins as Origins;
  const place = new Map<number, number>();
  for (let i = vertex.length - 1; i >= 0; i--) place.set(vertex[i]!, i);
  return Uint32Array.from(stored, (v) => place.get(v) ?? 0);
}

/** Marks evidence on a model; returns the drawn group (already hung into the model) and the box around what is marked. */
export function mark(model: DisplayModel, evidence: Evidence, hex: string): { groups: Group[]; box: Box3; places: Box3[] } {
  const groups: Group[] = [];
  const box = new Box3();
  const named = evidence.kind === 'nodes' ? [...evidence.indices] : evidence.node === null ? [] : [evidence.node];
  // A group stands for the parts below it; a node with nothing to draw is a place.
  const nodes = [...new Set(named.flatMap((n) => (model.parts.has(n) ? [n] : (model.below.get(n) ?? []))))];
  // What "next place" steps through: a named node each, or the clusters of what is marked on a part.
  const spots: Box3[] = [];
  for (const n of named) {
    const at = model.places.get(n);
    if (model.parts.has(n) || model.below.has(n)) {
      if (evidence.kind === 'nodes') spots.push((model.parts.has(n) ? [n] : model.below.get(n)!).reduce((b, p) => b.union(new Box3().setFromObject(model.parts.get(p)!)), new Box3()));
    } else if (at) {
      box.expandByPoint(at);
      spots.push(new Box3(at.clone(), at.clone()));
    }
  }
  for (const node of nodes) {
    const mesh = model.parts.get(node);
    if (!mesh) continue;
    let group: Group;
    if (evidence.kind === 'edges') {
      const index = drawnVertices(mesh, evidence.indices);
      const lines = new LineSegments(share(mesh, index), lineMaterial(hex, 1));
      lines.renderOrder = 4;
      group = new Group().add(lines);
      grow(box, mesh, index);
      spots.push(...clusters(mesh, index, 2));
    } else if (evidence.kind === 'vertices') {
      const index = drawnVertices(mesh, evidence.indices);
      const material = lineMaterial(hex, 1, {
        uniforms: { uPoint: { value: 7 } }, pars: 'uniform float uPoint;\n', vertex: 'gl_PointSize = uPoint;', look: 'if (length(gl_PointCoord - .5) > .5) discard;',
      });
      const points = new Points(share(mesh, index), material);
      points.renderOrder = 4;
      group = new Group().add(points);
      grow(box, mesh, index);
      spots.push(...clusters(mesh, index, 1));
    } else {
      const index = evidence.kind === 'faces' ? facesIndex(mesh, evidence.indices) : (mesh.geometry.index!.array as Uint32Array);
      group = tint(mesh, index, hex);
      grow(box, mesh, index);
      if (evidence.kind === 'faces') spots.push(...clusters(mesh, index, 3));
    }
    mesh.add(group);
    groups.push(group);
  }
  return { groups, box, places: spots };
}

/** Boxes around groups of elements that share stored vertices, the largest group first, at most 500 of them. */
export function clusters(mesh: Mesh, index: Uint32Array, corners: number): Box3[] {
  const { vertex } = mesh.geometry.userData.origins as Origins;
  const parent = new Map<number, number>();
  const find = (v: number) => {
    let root = v;
    while (parent.get(root) !== root) root = parent.get(root)!;
    while (parent.get(v) !== root) [v] = [parent.get(v)!, parent.set(v, root)];
    return root;
  };
  for (let i = 0; i < index.length; i++) {
    const v = vertex[index[i]!]!;
    if (!parent.has(v)) parent.set(v, v);
    if (i % corners) parent.set(find(v), find(vertex[index[i - (i % corners)]!]!));
  }
  const groups = new Map<number, { box: Box3; n: number }>();
  const at = new Vector3();
  const positions = mesh.geometry.attributes.position!;
  for (const i of index) {
    const root = find(vertex[i]!);
    const g = groups.get(root) ?? groups.set(root, { box: new Box3(), n: 0 }).get(root)!;
    g.box.expandByPoint(at.fromBufferAttribute(positions, i).applyMatrix4(mesh.matrixWorld));
    g.n++;
  }
  return [...groups.values()].sort((a, b) => b.n - a.n).slice(0, 500).map((g) => g.box);
}

export function unmark(groups: Group[]) {
  for (const group of groups) {
    group.removeFromParent();
    group.traverse((o) => {
      if (o instanceof Mesh || o instanceof LineSegments || o instanceof Points) {
        o.geometry.setIndex(null);
        for (const m of [o.material].flat()) m.dispose();
      }
    });
  }
}

function grow(box: Box3, mesh: Mesh, index: Uint32Array) {
  const positions = mesh.geometry.attributes.position!;
  const v = new Vector3();
  const step = Math.max(1, Math.floor(index.length / 20_000));
  for (let i = 0; i < index.length; i += step) box.expandByPoint(v.fromBufferAttribute(positions, index[i]!).applyMatrix4(mesh.matrixWorld));
}
