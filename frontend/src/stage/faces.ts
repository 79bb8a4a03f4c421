// Faces of one drawn part, to be pointed at: which hang together, which lie flat, how large they are. Plain typed arrays without a stage.

/** What is known of a part: for each triangle its polygon, its material and the set that the file has it in. */
export interface Triangles {
  positions: Float32Array;
  index: Uint32Array;
  faces: Uint32Array;
  slots: Int32Array;
  /** UVs of the drawn vertices, by which islands hang together. */
  uv?: Float32Array;
}

/** A mask over the polygons of a part: 1 where one is picked. */
export type Mask = Uint8Array;

export class Faces {
  /** Polygons of the part. */
  readonly count: number;
  /** Each drawn vertex's place: vertices in one place have one number. */
  readonly places: Uint32Array;
  private beyond: Int32Array | null = null;
  private byFace: { starts: Uint32Array; triangles: Uint32Array } | null = null;
  private normals: Float32Array | null = null;

  constructor(readonly t: Triangles) {
    let most = -1;
    for (const f of t.faces) if (f > most) most = f;
    this.count = most + 1;
    this.places = placesOf(t.positions);
  }

  /** Works out what pointing needs, so that the first click does not wait for it. */
  prepare() {
    this.triangles();
    this.sides();
    this.directions();
  }

  empty(): Mask {
    return new Uint8Array(this.count);
  }

  /** The triangles of each polygon. */
  private triangles() {
    if (this.byFace) return this.byFace;
    const starts = new Uint32Array(this.count + 1);
    for (const f of this.t.faces) starts[f + 1]!++;
    for (let f = 0; f < this.count; f++) starts[f + 1]! += starts[f]!;
    const at = starts.slice();
    const triangles = new Uint32Array(this.t.faces.length);
    this.t.faces.forEach((f, k) => (triangles[at[f]!++] = k));
    return (this.byFace = { starts, triangles });
  }

  of(face: number): Uint32Array {
    const { starts, triangles } = this.triangles();
    return triangles.subarray(starts[face]!, starts[face + 1]!);
  }

  /** The triangle beyond each side, -1 where there is none; of more than two that share a side the next one round. */
  private sides(): Int32Array {
    if (this.beyond) return this.beyond;
    const { index } = this.t;
    const n = index.length;
    const beyond = new Int32Array(n).fill(-1);
    // Open hashing over pairs of places: no sorting, so that a million triangles take a blink.
    let size = 1;
    while (size < 2 * n) size *= 2;
    const slots = new Int32Array(size).fill(-1);
    for (let k = 0; k < n; k++) {
      const p = this.places[index[k]!]!;
      const q = this.places[index[k % 3 === 2 ? k - 2 : k + 1]!]!;
      if (p === q) continue;
      const [a, b] = p < q ? [p, q] : [q, p];
      let h = (Math.imul(a, 0x9e3779b1) ^ Math.imul(b, 0x85ebca6b)) & (size - 1);
      for (;;) {
        const other = slots[h]!;
        if (other < 0) {
          slots[h] = k;
          break;
        }
        const u = this.places[index[other]!]!;
        const v = this.places[index[other % 3 === 2 ? other - 2 : other + 1]!]!;
        if ((u === a && v === b) || (u === b && v === a)) {
          // A ring of all sides that lie there: with two of them, each knows the other.
          if (beyond[other] === -1) [beyond[other], beyond[k]] = [k, other];
          else [beyond[k], beyond[other]] = [beyond[other]!, k];
          break;
        }
        h = (h + 1) & (size - 1);
      }
    }
    return (this.beyond = beyond);
  }

  /** Calls back for each polygon that shares a side with a triangle. */
  private round(triangle: number, visit: (other: number) => void) {
    const sides = this.sides();
    for (let k = 3 * triangle; k < 3 * triangle + 3; k++)
      for (let o = sides[k]!; o >= 0 && o !== k; o = sides[o]!) visit(Math.floor(o / 3));
  }

  /** Unit normals and areas of all triangles, four numbers each, in the part's own frame. */
  private directions(): Float32Array {
    if (this.normals) return this.normals;
    const { positions: p, index } = this.t;
    const out = new Float32Array((index.length / 3) * 4);
    for (let t = 0; t < index.length / 3; t++) {
      const [a, b, c] = [3 * index[3 * t]!, 3 * index[3 * t + 1]!, 3 * index[3 * t + 2]!];
      const [ux, uy, uz] = [p[b]! - p[a]!, p[b + 1]! - p[a + 1]!, p[b + 2]! - p[a + 2]!];
      const [vx, vy, vz] = [p[c]! - p[a]!, p[c + 1]! - p[a + 1]!, p[c + 2]! - p[a + 2]!];
      const [x, y, z] = [uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx];
      const length = Math.hypot(x, y, z);
      out.set(length ? [x / length, y / length, z / length, length / 2] : [0, 0, 0, 0], 4 * t);
    }
    return (this.normals = out);
  }

  /** Everything that may be reached from a polygon over sides, as far as `goes` says. */
  private flood(from: number, goes: (triangle: number) => boolean): Mask {
    const mask = this.empty();
    const waiting = [from];
    mask[from] = 1;
    while (waiting.length)
      for (const t of this.of(waiting.pop()!))
        this.round(t, (other) => {
          const face = this.t.faces[other]!;
          if (mask[face] || !goes(other)) return;
          mask[face] = 1;
          waiting.push(face);
        });
    return mask;
  }

  /** The polygon and what lies on with it, turned by no more than some degrees against it. */
  flat(from: number, degrees: number): Mask {
    const n = this.directions();
    const own = [0, 0, 0];
    for (const t of this.of(from)) for (let k = 0; k < 3; k++) own[k]! += n[4 * t + k]! * n[4 * t + 3]!;
    const length = Math.hypot(...own) || 1;
    const least = Math.cos((degrees * Math.PI) / 180) - 1e-6;
    // A triangle without area has no direction: it goes along.
    return this.flood(
      from,
      (t) => !n[4 * t + 3] || (n[4 * t]! * own[0]! + n[4 * t + 1]! * own[1]! + n[4 * t + 2]! * own[2]!) / length >= least,
    );
  }

  /** Everything of the part with the material of a polygon. */
  slot(from: number): Mask {
    const wanted = this.t.slots[this.of(from)[0]!]!;
    const mask = this.empty();
    this.t.faces.forEach((f, t) => this.t.slots[t] === wanted && (mask[f] = 1));
    return mask;
  }

  /** The loose piece that a polygon is of: all that hangs on it, over places that are shared. */
  piece(from: number): Mask {
    return this.hanging(from, this.places);
  }

  /** The UV island that a polygon is of: all that hangs on it where UVs run on; the piece where there are none. */
  island(from: number): Mask {
    const { uv } = this.t;
    if (!uv) return this.piece(from);
    const bits = new Int32Array(uv.buffer, uv.byteOffset, uv.length);
    const rows = new Int32Array(3 * this.places.length);
    this.places.forEach((p, v) => rows.set([p, bits[2 * v]!, bits[2 * v + 1]!], 3 * v));
    return this.hanging(from, distinct(rows));
  }

  private hanging(from: number, places: Uint32Array): Mask {
    const { index, faces } = this.t;
    const parent = new Int32Array(places.reduce((m, p) => Math.max(m, p), 0) + 1).map((_, k) => k);
    const top = (k: number) => {
      while (parent[k] !== k) k = parent[k] = parent[parent[k]!]!;
      return k;
    };
    for (let k = 0; k < index.length; k += 3) {
      const a = top(places[index[k]!]!);
      parent[top(places[index[k + 1]!]!)] = a;
      parent[top(places[index[k + 2]!]!)] = a;
    }
    const mask = this.empty();
    const wanted = top(places[index[3 * this.of(from)[0]!]!]!);
    for (let t = 0; t < faces.length; t++) if (top(places[index[3 * t]!]!) === wanted) mask[faces[t]!] = 1;
    return mask;
  }

  /** A run of four-sided polygons, from one over the side that is named and the one across, until it ends or comes round. */
  strip(from: number, side: readonly [number, number]): Mask {
    const mask = this.empty();
    mask[from] = 1;
    const first = this.across(from, side);
    for (const start of first ? [side, first] : [side]) {
      let [face, over] = [from, start];
      for (;;) {
        const next = this.over(face, over);
        if (next < 0 || mask[next]) break;
        mask[next] = 1;
        const on = this.across(next, over);
        if (!on) break;
        [face, over] = [next, on];
      }
    }
    return mask;
  }

  /** Places at the corners of a polygon in their order, where it is one simple loop. */
  outline(face: number): number[] {
    const next = new Map<number, number>();
    const { index } = this.t;
    for (const t of this.of(face))
      for (let k = 0; k < 3; k++) {
        const [a, b] = [this.places[index[3 * t + k]!]!, this.places[index[3 * t + ((k + 1) % 3)]!]!];
        if (next.get(b) === a) next.delete(b);
        else next.set(a, b);
      }
    const start = next.keys().next().value;
    if (start === undefined) return [];
    const out = [start];
    for (let at = next.get(start); at !== undefined && at !== start && out.length <= next.size; at = next.get(at)) out.push(at);
    return out.length === next.size ? out : [];
  }

  /** The side of a four-sided polygon that shares no corner with one of its sides. */
  private across(face: number, [a, b]: readonly [number, number]): [number, number] | null {
    const loop = this.outline(face);
    if (loop.length !== 4) return null;
    const rest = loop.filter((p) => p !== a && p !== b);
    return rest.length === 2 ? [rest[0]!, rest[1]!] : null;
  }

  /** The polygon beyond a side of another, -1 where there is none. */
  private over(face: number, [a, b]: readonly [number, number]): number {
    const { index } = this.t;
    let found = -1;
    for (const t of this.of(face))
      for (let k = 3 * t; k < 3 * t + 3; k++) {
        const [p, q] = [this.places[index[k]!]!, this.places[index[k % 3 === 2 ? k - 2 : k + 1]!]!];
        if (!((p === a && q === b) || (p === b && q === a))) continue;
        const other = this.sides()[k]!;
        if (other >= 0 && this.t.faces[Math.floor(other / 3)] !== face) found = this.t.faces[Math.floor(other / 3)]!;
      }
    return found;
  }

  /** One polygon more all round. */
  grown(mask: Mask): Mask {
    const out = mask.slice();
    this.t.faces.forEach((f, t) => {
      if (mask[f]) this.round(t, (other) => (out[this.t.faces[other]!] = 1));
    });
    return out;
  }

  /** One polygon less all round: those that share a side with one that is not picked. */
  shrunk(mask: Mask): Mask {
    const out = mask.slice();
    this.t.faces.forEach((f, t) => {
      if (mask[f]) this.round(t, (other) => !mask[this.t.faces[other]!] && (out[f] = 0));
    });
    return out;
  }

  /** Sides between what is picked and what is not, as pairs of drawn vertices. */
  rim(mask: Mask): Uint32Array {
    const { index, faces } = this.t;
    const sides = this.sides();
    const out: number[] = [];
    for (let k = 0; k < index.length; k++) {
      const t = Math.floor(k / 3);
      if (!mask[faces[t]!]) continue;
      let within = false;
      for (let o = sides[k]!; o >= 0 && o !== k; o = sides[o]!) within ||= !!mask[faces[Math.floor(o / 3)]!];
      if (!within) out.push(index[k]!, index[k % 3 === 2 ? k - 2 : k + 1]!);
    }
    return Uint32Array.from(out);
  }

  inverted(mask: Mask): Mask {
    return mask.map((x) => 1 - x);
  }

  /** Area of what is picked, in the part's own frame, and how many polygons that is. */
  figures(mask: Mask): { count: number; area: number } {
    const n = this.directions();
    let [count, area] = [0, 0];
    for (const x of mask) count += x;
    this.t.faces.forEach((f, t) => mask[f] && (area += n[4 * t + 3]!));
    return { count, area };
  }
}

/** A number for each vertex, the same for those in one place. */
export function placesOf(positions: Float32Array): Uint32Array {
  return distinct(new Int32Array(positions.buffer, positions.byteOffset, positions.length));
}

/** A number for each row of three, the same for equal rows. bits: of floats, or whole numbers. */
function distinct(bits: Int32Array): Uint32Array {
  const n = bits.length / 3;
  let size = 1;
  while (size < 2 * n) size *= 2;
  const slots = new Int32Array(size).fill(-1);
  const out = new Uint32Array(n);
  let count = 0;
  const first: number[] = [];
  // Nought and minus nought are one place.
  const bit = (k: number) => (bits[k] === -0x80000000 ? 0 : bits[k]!);
  for (let v = 0; v < n; v++) {
    const [x, y, z] = [bit(3 * v), bit(3 * v + 1), bit(3 * v + 2)];
    let h = Math.imul(x, 0x9e3779b1) ^ Math.imul(y, 0x85ebca6b) ^ Math.imul(z, 0xc2b2ae35);
    h = (h ^ (h >>> 15)) & (size - 1);
    for (;;) {
      const known = slots[h]!;
      if (known < 0) {
        slots[h] = count;
        first.push(v);
        out[v] = count++;
        break;
      }
      const u = 3 * first[known]!;
      if (bit(u) === x && bit(u + 1) === y && bit(u + 2) === z) {
        out[v] = known;
        break;
      }
      h = (h + 1) & (size - 1);
    }
  }
  return out;
}

/** Picked polygons as calls name them: runs of neighbours as 3-11. */
export function faceText(mask: Mask): string {
  const runs: string[] = [];
  for (let f = 0; f < mask.length; f++) {
    if (!mask[f]) continue;
    const start = f;
    while (mask[f + 1]) f++;
    runs.push(start === f ? `${f}` : `${start}-${f}`);
  }
  return runs.join(';');
}

/** Whether a point lies within a closed line that was drawn (even-odd rule). */
export function inside(line: readonly (readonly [number, number])[], x: number, y: number): boolean {
  let odd = false;
  for (let k = 0, l = line.length - 1; k < line.length; l = k++) {
    const [ax, ay] = line[k]!;
    const [bx, by] = line[l]!;
    if (ay > y !== by > y && x < ((bx - ax) * (y - ay)) / (by - ay) + ax) odd = !odd;
  }
  return odd;
}
