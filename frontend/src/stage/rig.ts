// The skeleton as the stage moves it: clips sampled, joints pulled, and the matrices that the vertex shader blends.
//
// A vertex stands at Σ w · World_j · Bind_j · v (glTF 2.0 §3.7.3.3), interpolation is that of its appendix C. Matrices are worked out
// in doubles and handed over relative to each part, so that a model far out stands steady.
import {
  BufferAttribute,
  DataTexture,
  FloatType,
  Matrix4,
  NearestFilter,
  Quaternion,
  RGBAFormat,
  Vector3,
  type BufferGeometry,
  type Mesh,
} from 'three';
import type { Joints } from './displayCopy';

export interface Channel {
  node: number;
  path: 'translation' | 'rotation' | 'scale' | 'weights';
  way: string;
  times: Float32Array;
  values: Float32Array;
}
export interface Clip {
  name: string;
  seconds: number;
  channels: Channel[];
}
export interface RigNode {
  node: number;
  /** Node above it, -1 for none; it stands before this one. */
  up: number;
  name: string;
  joint: boolean;
  t?: number[];
  q?: number[];
  s?: number[];
  m?: number[];
}
interface Skin {
  joints: number[];
  inverse: Matrix4[];
}
/** What a joint is pulled by: a turn about its own axes, and a way in metres along the stage's. */
export interface Pull {
  turn: Quaternion;
  move: Vector3;
}

/** Joints that carry one vertex, at most, in what is drawn; the heaviest are taken. */
export const MOST = 8;

/** What the shader is given for a skinned part. */
export interface Posing {
  uniforms: { uBones: { value: DataTexture }; uPosed: { value: number } };
  skin: number;
  node: number;
  centre: Vector3;
}

/** One number, or one quaternion, of a channel at a time; `out` is filled and returned. */
export function sample(c: Channel, at: number, out: number[]): number[] {
  const keys = c.times.length;
  const cubic = c.way === 'CUBICSPLINE';
  const wide = c.values.length / (keys * (cubic ? 3 : 1));
  const value = (k: number, j: number, part = 1) => c.values[(cubic ? 3 * k + part : k) * wide + j]!;
  let low = 0;
  for (let high = keys; high - low > 1;) {
    const middle = (low + high) >> 1;
    if (c.times[middle]! <= at) low = middle;
    else high = middle;
  }
  const next = Math.min(low + 1, keys - 1);
  const length = c.times[next]! - c.times[low]!;
  const share = length > 0 ? Math.min(1, Math.max(0, (at - c.times[low]!) / length)) : 0;
  if (c.path === 'rotation' && !cubic && c.way !== 'STEP') {
    const [a, b] = [low, next].map((k) => new Quaternion(value(k, 0), value(k, 1), value(k, 2), value(k, 3)).normalize());
    return a!.slerp(b!, share).toArray(out);
  }
  const [s, s2, s3] = [share, share * share, share * share * share];
  for (let j = 0; j < wide; j++) {
    const [p, q] = [value(low, j), value(next, j)];
    if (c.way === 'STEP') out[j] = p;
    else if (cubic)
      out[j] =
        (2 * s3 - 3 * s2 + 1) * p +
        length * (s3 - 2 * s2 + s) * value(low, j, 2) +
        (3 * s2 - 2 * s3) * q +
        length * (s3 - s2) * value(next, j, 0);
    else out[j] = p + s * (q - p);
  }
  if (c.path === 'rotation') new Quaternion().fromArray(out).normalize().toArray(out);
  return out;
}

export class Rig {
  readonly worlds = new Map<number, Matrix4>();
  readonly joints: RigNode[];
  private readonly rest = new Map<number, { t: Vector3; q: Quaternion; s: Vector3; m: Matrix4 | null }>();
  private readonly byNode: Map<number, RigNode>;

  constructor(
    readonly nodes: RigNode[],
    readonly skins: Skin[],
    readonly clips: Clip[],
    private readonly root: Matrix4,
  ) {
    this.byNode = new Map(nodes.map((n) => [n.node, n]));
    this.joints = nodes.filter((n) => n.joint);
    for (const n of nodes)
      this.rest.set(n.node, {
        t: new Vector3().fromArray(n.t ?? [0, 0, 0]),
        q: new Quaternion().fromArray(n.q ?? [0, 0, 0, 1]).normalize(),
        s: new Vector3().fromArray(n.s ?? [1, 1, 1]),
        m: n.m ? new Matrix4().fromArray(n.m) : null,
      });
    this.pose(null, 0, new Map());
  }

  /** Node above another that is a joint, null for a topmost one. */
  jointAbove(node: number): number | null {
    for (let up = this.byNode.get(node)?.up ?? -1; up >= 0; up = this.byNode.get(up)?.up ?? -1) if (this.byNode.get(up)?.joint) return up;
    return null;
  }

  /** A joint with those that it hangs on and those that hang on it; the topmost ones where none is chosen. */
  around(node: number | null): RigNode[] {
    const above = new Set<number>();
    for (let up = node; up !== null; up = this.jointAbove(up)) above.add(up);
    return this.joints.filter((j) => above.has(j.node) || this.jointAbove(j.node) === node);
  }

  /** Works out where every node stands, in the stage's frame; returns the morph weights that the clip sets, by node. */
  pose(clip: Clip | null, at: number, pulls: ReadonlyMap<number, Pull>): Map<number, number[]> {
    const driven = new Map<number, Channel[]>();
    for (const c of clip?.channels ?? []) driven.set(c.node, [...(driven.get(c.node) ?? []), c]);
    const shapes = new Map<number, number[]>();
    const [t, q, s, local] = [new Vector3(), new Quaternion(), new Vector3(), new Matrix4()];
    for (const n of this.nodes) {
      const rest = this.rest.get(n.node)!;
      t.copy(rest.t);
      q.copy(rest.q);
      s.copy(rest.s);
      const channels = driven.get(n.node) ?? [];
      for (const c of channels) {
        const value = sample(c, at, []);
        if (c.path === 'translation') t.fromArray(value);
        else if (c.path === 'rotation') q.fromArray(value);
        else if (c.path === 'scale') s.fromArray(value);
        else shapes.set(n.node, value);
      }
      const moved = channels.some((c) => c.path !== 'weights');
      const above = n.up < 0 ? this.root : this.worlds.get(n.up)!;
      const pull = pulls.get(n.node);
      if (rest.m && !moved) local.copy(rest.m);
      else local.compose(t, q, s);
      if (pull) {
        local.multiply(new Matrix4().makeRotationFromQuaternion(pull.turn));
        if (pull.move.lengthSq() > 0) {
          const inverse = above.clone().setPosition(0, 0, 0).invert();
          local.premultiply(new Matrix4().makeTranslation(pull.move.clone().applyMatrix4(inverse)));
        }
      }
      this.worlds.set(n.node, (this.worlds.get(n.node) ?? new Matrix4()).multiplyMatrices(above, local));
    }
    return shapes;
  }

  /** Hands a skinned part its matrices: one a joint, then the part's own node, then what a receiver adds that lets the node count. */
  hand(mesh: Mesh, posing: Posing) {
    const { joints, inverse } = this.skins[posing.skin]!;
    const data = posing.uniforms.uBones.value.image.data as Float32Array;
    const still = mesh.userData.still as Matrix4;
    const home = still.clone().invert();
    const centre = new Matrix4().makeTranslation(posing.centre);
    const own = this.worlds.get(posing.node) ?? new Matrix4();
    const m = new Matrix4();
    const put = (k: number) => data.set(m.elements, 16 * k);
    joints.forEach((j, k) => {
      m.copy(home).multiply(this.worlds.get(j)!).multiply(inverse[k]!).multiply(centre);
      put(k);
    });
    m.copy(home).multiply(own).multiply(centre);
    put(joints.length);
    // In the file's own world the node's matrix comes before everything else.
    m.copy(home).multiply(own).multiply(this.root.clone().invert()).multiply(still);
    put(joints.length + 1);
    posing.uniforms.uBones.value.needsUpdate = true;
  }
}

/** A texture of one matrix a row. */
export function boneTexture(rows: number) {
  const t = new DataTexture(new Float32Array(16 * rows), 4, rows, RGBAFormat, FloatType);
  t.minFilter = t.magFilter = NearestFilter;
  t.needsUpdate = true;
  return t;
}

/** Attributes that go along with whatever is drawn over a part's vertices. */
export const CARRIED = ['bound', 'boundNormal', 'carrierA', 'carrierB', 'shareA', 'shareB'];

/** Lets another geometry over the same vertices move along. */
export function carryAlong(from: BufferGeometry, to: BufferGeometry) {
  for (const name of CARRIED) {
    const attribute = from.attributes[name];
    if (attribute) to.setAttribute(name, attribute);
  }
  return to;
}

/** The heaviest joints of each drawn vertex, as the shader takes them. A vertex without any goes with the part's own node. */
export function carriers(g: BufferGeometry, j: Joints, joints: number) {
  const count = g.attributes.position!.count;
  const carrier = [new Float32Array(4 * count), new Float32Array(4 * count)];
  const share = [new Float32Array(4 * count), new Float32Array(4 * count)];
  for (let v = 0; v < count; v++) {
    const [from, to] = [j.starts[v]!, Math.min(j.starts[v + 1]!, j.starts[v]! + MOST)];
    for (let e = from; e < to; e++) {
      const [half, place] = [(e - from) >> 2, 4 * v + ((e - from) & 3)];
      carrier[half]![place] = j.joint[e]!;
      share[half]![place] = j.weight[e]! / 65535;
    }
    if (from === j.starts[v + 1]!) {
      carrier[0]![4 * v] = joints;
      share[0]![4 * v] = 1;
    }
  }
  ['A', 'B'].forEach((half, k) => {
    g.setAttribute(`carrier${half}`, new BufferAttribute(carrier[k]!, 4));
    g.setAttribute(`share${half}`, new BufferAttribute(share[k]!, 4));
  });
}
