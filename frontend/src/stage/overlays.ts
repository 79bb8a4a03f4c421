// What some lenses lay over the model: edges, normals as short strokes, pivots. Made once a model, when first asked for.
import { Box3, BufferAttribute, BufferGeometry, LineSegments, Mesh, Vector3 } from 'three';
import { uvName, type DisplayModel, type Origins } from './displayCopy';
import { lineMaterial, type LookName } from './looks';
import { carryAlong, type Posing } from './rig';

/** Strokes drawn at most for the normals of one part; past that every n-th is drawn, which the caption says. */
const MOST_STROKES = 60_000;

const overlay = (g: BufferGeometry, look: LookName, opacity: number, more = {}) => {
  const lines = new LineSegments(g, lineMaterial(undefined, opacity, more));
  lines.userData.looks = [look];
  lines.renderOrder = 1;
  return lines;
};

let worker: Worker | null = null;
let asked = 0;

/** The edges of a mesh, found in a worker so that the page goes on. `vertex` says which drawn vertices count as one. */
function edges(mesh: Mesh, vertex: Uint32Array, polygons: boolean): Promise<Uint32Array> {
  const own = (worker ??= new Worker(new URL('./edges.worker.ts', import.meta.url), { type: 'module' }));
  const { faces } = mesh.geometry.userData.origins as Origins;
  const id = ++asked;
  return new Promise((done, fail) => {
    const failed = () => fail(new Error('The edges could not be found; reload the page.'));
    const listen = ({ data }: MessageEvent<{ id: number; made: Uint32Array }>) => {
      if (data.id !== id) return;
      own.removeEventListener('message', listen);
      own.removeEventListener('error', failed);
      done(data.made);
    };
    own.addEventListener('message', listen);
    own.addEventListener('error', failed, { once: true });
    own.postMessage({ id, index: mesh.geometry.index!.array, faces, vertex, polygons });
  });
}

/** Edges as a geometry over the mesh's own vertices, found once for all parts that share it. */
function edgeGeometry(mesh: Mesh, kind: 'wire' | 'density' | 'charts'): Promise<BufferGeometry> {
  const known = (mesh.geometry.userData.edges ??= {}) as Partial<Record<string, Promise<BufferGeometry>>>;
  const { vertex } = mesh.geometry.userData.origins as Origins;
  // Along a UV seam both sides are drawn vertices of their own, and a chart's edge is each side's.
  const counted = kind === 'charts' ? Uint32Array.from(vertex, (_, i) => i) : vertex;
  return (known[kind] ??= edges(mesh, counted, kind !== 'density').then((index) => {
    const g = new BufferGeometry().setAttribute('position', mesh.geometry.attributes.position!).setIndex(new BufferAttribute(index, 1));
    return carryAlong(mesh.geometry, g);
  }));
}

/** The edges of a part's charts in a UV set, seams on both their sides; the set's UVs are the attribute "uv" of what comes back. */
export async function chartEdges(mesh: Mesh, set: number): Promise<BufferGeometry> {
  const edges = await edgeGeometry(mesh, 'charts');
  return laidFlat(mesh, set, edges.index!);
}

/** Some of a part's lines or triangles over its own vertices, for drawing flat by one of its UV sets. */
export const laidFlat = (mesh: Mesh, set: number, index: BufferAttribute) =>
  new BufferGeometry()
    .setAttribute('position', mesh.geometry.attributes.position!)
    .setAttribute('uv', mesh.geometry.attributes[uvName(set)]!)
    .setIndex(index);

async function lattice(mesh: Mesh, look: 'wire' | 'density') {
  return overlay(await edgeGeometry(mesh, look), look, 0.6, { posing: mesh.userData.posing as Posing | null });
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
    b.fromBufferAttribute(n, i)
      .multiplyScalar(length)
      .add(a)
      .toArray(out, k * 6 + 3);
  }
  return overlay(new BufferGeometry().setAttribute('position', new BufferAttribute(out, 3)), 'normals', 0.75);
}

/** A plumb mark at the part's own origin: three strokes and a ring lying flat. */
function pivot(mesh: Mesh, size: number) {
  const scale = new Vector3().setFromMatrixScale(mesh.matrixWorld);
  const r = (size * 0.02) / Math.max(1e-9, scale.x);
  const at = mesh.userData.pivot as Vector3;
  const out: number[] = [];
  for (const d of [new Vector3(r * 2, 0, 0), new Vector3(0, r * 2, 0), new Vector3(0, 0, r * 2)])
    out.push(...at.clone().sub(d).toArray(), ...at.clone().add(d).toArray());
  for (let k = 0; k < 24; k++)
    for (const q of [k, k + 1]) out.push(at.x + r * Math.cos((q * Math.PI) / 12), at.y, at.z + r * Math.sin((q * Math.PI) / 12));
  return overlay(new BufferGeometry().setAttribute('position', new BufferAttribute(Float32Array.from(out), 3)), 'pivots', 1, {
    options: { depthTest: false },
  });
}

/** The circle that a part sweeps when it is turned about its pivot, whole, and the least that it could, dashed; both about the upright. */
function sweeps(mesh: Mesh) {
  const p = mesh.geometry.attributes.position!;
  const pivot = (mesh.userData.pivot as Vector3).clone().applyMatrix4(mesh.matrixWorld);
  const box = new Box3();
  const v = new Vector3();
  for (let i = 0; i < p.count; i++) box.expandByPoint(v.fromBufferAttribute(p, i).applyMatrix4(mesh.matrixWorld));
  const middle = box.getCenter(new Vector3());
  let [swept, needed] = [0, 0];
  for (let i = 0; i < p.count; i++) {
    v.fromBufferAttribute(p, i).applyMatrix4(mesh.matrixWorld);
    swept = Math.max(swept, Math.hypot(v.x - pivot.x, v.z - pivot.z));
    needed = Math.max(needed, Math.hypot(v.x - middle.x, v.z - middle.z));
  }
  // Where the pivot stands well there is one circle only, and it says nothing.
  if (!(swept > needed * 1.3)) return null;
  const back = mesh.matrixWorld.clone().invert();
  const out: number[] = [];
  const circle = (c: Vector3, r: number, dashed: boolean) => {
    for (let k = 0; k < 96; k += dashed ? 2 : 1)
      for (const q of [k, k + 1])
        out.push(
          ...v
            .set(c.x + r * Math.cos((q * Math.PI) / 48), pivot.y, c.z + r * Math.sin((q * Math.PI) / 48))
            .applyMatrix4(back)
            .toArray(),
        );
  };
  circle(pivot, swept, false);
  circle(middle, needed, true);
  out.push(...pivot.clone().applyMatrix4(back).toArray(), ...middle.setY(pivot.y).applyMatrix4(back).toArray());
  const lines = overlay(new BufferGeometry().setAttribute('position', new BufferAttribute(Float32Array.from(out), 3)), 'pivots', 0.7, {
    options: { depthTest: false },
  });
  lines.frustumCulled = false;
  return lines;
}

/** Makes what a lens lays over the model, unless it is there or on its way already. */
export async function ensureOverlay(model: DisplayModel, look: LookName, size: number): Promise<void> {
  if (look !== 'wire' && look !== 'density' && look !== 'normals' && look !== 'pivots') return;
  const waiting = [...model.parts.values()].map(async (mesh) => {
    const laid = (mesh.userData.laid ??= new Set<LookName>()) as Set<LookName>;
    if (laid.has(look)) return;
    laid.add(look);
    const round = look === 'pivots' ? sweeps(mesh) : null;
    if (round) mesh.add(round);
    const lines = look === 'normals' ? strokes(mesh, size) : look === 'pivots' ? pivot(mesh, size) : await lattice(mesh, look);
    // Strokes stand at vertices as they rest: they are taken away while the part is posed.
    lines.userData.stillOnly = look === 'normals' || look === 'pivots';
    mesh.add(lines);
  });
  await Promise.all(waiting);
}
