// Places of evidence: elements that share stored vertices lie together, and one steps from one place to the next.
import { Box3, type BufferGeometry, type Matrix4, Vector3 } from 'three';

const MOST = 500;

/** Boxes around groups of elements of `corners` corners that share vertices, the largest group first, at most 500 of them. */
export function clusters(g: BufferGeometry, corners: number, matrix: Matrix4): Box3[] {
  const index = g.index!.array as Uint32Array;
  const vertex = g.userData.vertex as Uint32Array;
  const parent = Int32Array.from({ length: vertex.reduce((m, v) => Math.max(m, v), 0) + 1 }, (_, i) => i);
  const find = (v: number) => {
    while (parent[v] !== v) v = parent[v] = parent[parent[v]!]!;
    return v;
  };
  for (let i = 0; i < index.length; i++) if (i % corners) parent[find(vertex[index[i]!]!)] = find(vertex[index[i - (i % corners)]!]!);
  const sizes = new Map<number, number>();
  const roots = new Int32Array(index.length / corners);
  for (let e = 0; e < roots.length; e++) {
    roots[e] = find(vertex[index[e * corners]!]!);
    sizes.set(roots[e]!, (sizes.get(roots[e]!) ?? 0) + 1);
  }
  const largest = [...sizes].sort((a, b) => b[1] - a[1]).slice(0, MOST);
  const boxes = new Map(largest.map(([root]) => [root, new Box3()]));
  const at = new Vector3();
  const positions = g.attributes.position!;
  for (let e = 0; e < roots.length; e++) {
    const box = boxes.get(roots[e]!);
    for (let c = 0; box && c < corners; c++) box.expandByPoint(at.fromBufferAttribute(positions, index[e * corners + c]!));
  }
  return [...boxes.values()].map((b) => b.applyMatrix4(matrix));
}
