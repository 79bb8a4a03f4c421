// Edges of polygons out of an index of triangles. Pure typed arrays, so that it runs in a worker.

/** Every edge once, as pairs of drawn vertices. For `polygons` the diagonals that only cut a polygon into triangles are left out. */
export function edgesOf(index: Uint32Array, faces: Uint32Array, vertex: Uint32Array, polygons: boolean): Uint32Array {
  const size = vertex.reduce((m, v) => Math.max(m, v), 0) + 1;
  const keys = new Float64Array(index.length);
  for (let i = 0; i < index.length; i++) {
    const a = vertex[index[i]!]!;
    const b = vertex[index[i % 3 === 2 ? i - 2 : i + 1]!]!;
    keys[i] = Math.min(a, b) * size + Math.max(a, b);
  }
  const order = Uint32Array.from(keys, (_, i) => i).sort((p, q) => keys[p]! - keys[q]!);
  const out = new Uint32Array(index.length * 2);
  let n = 0;
  for (let i = 0; i < order.length;) {
    let j = i + 1;
    while (j < order.length && keys[order[j]!] === keys[order[i]!]) j++;
    const first = order[i]!;
    const diagonal = polygons && j - i === 2 && faces[Math.floor(first / 3)] === faces[Math.floor(order[i + 1]! / 3)];
    if (!diagonal) {
      out[n++] = index[first]!;
      out[n++] = index[first % 3 === 2 ? first - 2 : first + 1]!;
    }
    i = j;
  }
  return out.slice(0, n);
}
