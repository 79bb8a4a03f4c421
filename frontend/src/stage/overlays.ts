// What some lenses lay over the model: edges, normals as short strokes, pivots. Made once a model, when first asked for.
import { BufferAttribute, BufferGeometry, LineSegments, Mesh, Vector3 } from 'three';
import type { DisplayModel, Origins } from './displayCopy';
import { lineMaterial, type LookName } from './looks';

/** Strokes drawn at most for the normals of one part; past that every n-th is drawn, which the caption says. */
const MOST_STROKES = 60_000;

const overlay = (g: BufferGeometry, look: LookName, opacity: number, more = {}) => {
  const lines = new LineSegments(g, lineMaterial(undefined, opacity, more));
  lines.userData.looks = [look];
  lines.renderOrder = 1;
  return lines;
};

/** Every edge once. For `polygons` the diagonals that only cut a polygon into triangles are left out. */
export function edges(mesh: Mesh, polygons: boolean): Uint32Array {
  const index = mesh.geometry.index!.array as Uint32Array;
  const { faces, vertex } = mesh.geometry.userData.origins as Origins;
  const size = vertex.reduce((m, v) => Math.max(m, v), 0) + 1;
  const keys = new Float64Array(index.length);
  for (let i = 0; i < index.length; i++) {
    const a = vertex[index[i]!]!;
    const b = vertex[index[i % 3 === 2 ? i - 2 : i + 1]!]!;
    keys[i] = Math.min(a, b) * size + Math.max(a, b);
  }
  const order = Uint32Array.from(keys, (_, i) => i).sort((p, q) => keys[p]! - keys[q]!);
  const out: number[] = [];
  for (let i = 0; i < order.length; ) {
    let j = i + 1;
    while (j < order.length && keys[order[j]!] === keys[order[i]!]) j++;
    const first = order[i]!;
    const diagonal = polygons && j - i === 2 && faces[Math.floor(first / 3)] === faces[Math.floor(order[i + 1]! / 3)];
    if (!diagonal) out.push(index[first]!, index[first % 3 === 2 ? first - 2 : first + 1]!);
    i = j;
  }
  return Uint32Array.from(out);
}

function lattice(mesh: Mesh, look: 'wire' | 'density') {
  const g = new BufferGeometry();
  g.setAttribute('position', mesh.geometry.attributes.position!);
  g.setIndex(new BufferAttribute(edges(mesh, look === 'wire'), 1));
  return overlay(g, look, 0.6);
}

function strokes(mesh: Mesh, size: number) {
  const p = mesh.geometry.attributes.position!;
  const n = mesh.geometry.attributes.normal!;
  const step = Math.max(1, Math.ceil(p.count / MOST_STROKES));
  const count = Math.ceil(p.count / step);
  const out = new Float32Array(count * 6);
  const scale = new Vector3().setFromMatrixScale(mesh.matrixWorld);
  const length = (size * 0.022) / Math.max(1e-9, scale.x);
  const [a, b] = [new Vector3(), new Vector3()];
  for (let k = 0, i = 0; i < p.count; i += step, k++) {
    a.fromBufferAttribute(p, i).toArray(out, k * 6);
    b.fromBufferAttribute(n, i).multiplyScalar(length).add(a).toArray(out, k * 6 + 3);
  }
  return overlay(new BufferGeometry().setAttribute('position', new BufferAttribute(out, 3)), 'normals', 0.75);
}

/** A plumb mark at the part's own origin: three strokes and a ring lying flat. */
function pivot(mesh: Mesh, size: number) {
  const scale = new Vector3().setFromMatrixScale(mesh.matrixWorld);
  const r = (size * 0.02) / Math.max(1e-9, scale.x);
  const at = mesh.userData.pivot as Vector3;
  const out: number[] = [];
  for (const d of [new Vector3(r * 2, 0, 0), new Vector3(0, r * 2, 0), new Vector3(0, 0, r * 2)]) out.push(...at.clone().sub(d).toArray(), ...at.clone().add(d).toArray());
  for (let k = 0; k < 24; k++) for (const q of [k, k + 1]) out.push(at.x + r * Math.cos((q * Math.PI) / 12), at.y, at.z + r * Math.sin((q * Math.PI) / 12));
  return overlay(new BufferGeometry().setAttribute('position', new BufferAttribute(Float32Array.from(out), 3)), 'pivots', 1, { options: { depthTest: false } });
}

/** Makes what a lens lays over the model, unless it is there already. */
export function ensureOverlay(model: DisplayModel, look: LookName, size: number) {
  if (!['wire', 'density', 'normals', 'pivots'].includes(look)) return;
  for (const mesh of model.parts.values()) {
    if (mesh.children.some((c) => (c.userData.looks as LookName[] | undefined)?.includes(look))) continue;
    mesh.add(look === 'normals' ? strokes(mesh, size) : look === 'pivots' ? pivot(mesh, size) : lattice(mesh, look as 'wire' | 'density'));
  }
}
