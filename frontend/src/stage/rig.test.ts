// The skeleton's arithmetic: sampling as glTF 2.0, appendix C has it, and matrices down the tree.
import { Matrix4, Quaternion, Vector3 } from 'three';
import { describe, expect, it } from 'vitest';
import { BufferAttribute, BufferGeometry } from 'three';
import { carriers, Rig, sample, type Channel, type RigNode } from './rig';

const channel = (path: Channel['path'], way: string, times: number[], values: number[]): Channel => ({
  node: 1,
  path,
  way,
  times: Float32Array.from(times),
  values: Float32Array.from(values),
});
const quarter = Math.SQRT1_2;

describe('sampling', () => {
  const move = channel('translation', 'LINEAR', [0, 1, 3], [0, 0, 0, 2, 0, 0, 2, 4, 0]);
  it('goes straight between keys, and keeps still outside of them', () => {
    expect(sample(move, 0.25, [])).toEqual([0.5, 0, 0]);
    expect(sample(move, 2, [])).toEqual([2, 2, 0]);
    expect(sample(move, -1, [])).toEqual([0, 0, 0]);
    expect(sample(move, 9, [])).toEqual([2, 4, 0]);
  });
  it('holds a step until the next key', () => {
    const step = channel('translation', 'STEP', [0, 1], [0, 0, 0, 2, 0, 0]);
    expect(sample(step, 0.99, [])).toEqual([0, 0, 0]);
    expect(sample(step, 1, [])).toEqual([2, 0, 0]);
  });
  it('turns along the shorter arc, whatever the sign of the keys', () => {
    for (const sign of [1, -1]) {
      const turn = channel('rotation', 'LINEAR', [0, 1], [0, 0, 0, 1, 0, 0, sign * quarter, sign * quarter]);
      const half = new Quaternion().fromArray(sample(turn, 0.5, []));
      expect(2 * Math.acos(Math.abs(half.w))).toBeCloseTo(Math.PI / 4, 5);
    }
  });
  it('meets keys and tangents of a cubic spline', () => {
    // In-tangent, value, out-tangent at each key: leaves 0 at one a second and comes to 1 flat.
    const curve = channel('translation', 'CUBICSPLINE', [0, 1], [0, 0, 0, 0, 0, 0, 1, 0, 0, 0, 0, 0, 1, 0, 0, 0, 0, 0]);
    expect(sample(curve, 0, [])[0]).toBeCloseTo(0);
    expect(sample(curve, 1, [])[0]).toBeCloseTo(1);
    expect(sample(curve, 1e-3, [])[0]! / 1e-3).toBeCloseTo(1, 2);
    expect(sample(curve, 0.5, [])[0]).toBeCloseTo(0.5 + 0.125);
  });
});

describe('a rig', () => {
  const nodes: RigNode[] = [
    { node: 0, up: -1, name: 'rig', joint: false, s: [0.01, 0.01, 0.01] },
    { node: 1, up: 0, name: 'hip', joint: true, t: [0, 100, 0] },
    { node: 2, up: 1, name: 'knee', joint: true, t: [0, -50, 0] },
  ];
  const rig = () =>
    new Rig(nodes, [{ joints: [1, 2], inverse: [new Matrix4(), new Matrix4()] }], [], new Matrix4().makeTranslation(0, 0, -2));
  const at = (r: Rig, node: number) => new Vector3().setFromMatrixPosition(r.worlds.get(node)!);

  it('stands in the stage from its root on', () => {
    expect(at(rig(), 2).distanceTo(new Vector3(0, 0.5, -2))).toBeLessThan(1e-9);
  });
  it('carries along what hangs on a joint that is pulled', () => {
    const r = rig();
    const turn = new Quaternion().setFromAxisAngle(new Vector3(0, 0, 1), Math.PI / 2);
    r.pose(null, 0, new Map([[1, { turn, move: new Vector3(0.1, 0, 0) }]]));
    // A move is in metres of the stage, however the rig is scaled.
    expect(at(r, 1).distanceTo(new Vector3(0.1, 1, -2))).toBeLessThan(1e-9);
    expect(at(r, 2).distanceTo(new Vector3(0.6, 1, -2))).toBeLessThan(1e-9);
  });
  it('plays a clip over what the nodes have', () => {
    const r = rig();
    const lift = { ...channel('translation', 'LINEAR', [0, 1], [0, 100, 0, 0, 200, 0]), node: 1 };
    r.pose({ name: 'lift', seconds: 1, channels: [lift] }, 0.5, new Map());
    expect(at(r, 2).y).toBeCloseTo(1);
    r.pose(null, 0, new Map());
    expect(at(r, 2).y).toBeCloseTo(0.5);
  });
  it('knows the joint above a joint', () => {
    expect(rig().jointAbove(2)).toBe(1);
    expect(rig().jointAbove(1)).toBeNull();
    const names = (node: number | null) =>
      rig()
        .around(node)
        .map((j) => j.name);
    expect(names(null)).toEqual(['hip']);
    expect(names(1)).toEqual(['hip', 'knee']);
  });
});

describe('carriers of vertices', () => {
  it('are the heaviest eight in their order, and the part itself where there is none', () => {
    const g = new BufferGeometry().setAttribute('position', new BufferAttribute(new Float32Array(6), 3));
    const starts = Uint32Array.of(0, 10, 10);
    const joint = Uint16Array.from({ length: 10 }, (_, k) => k);
    carriers(g, { names: [], nodes: [], starts, joint, weight: Uint16Array.from({ length: 10 }, (_, k) => 65535 >> k) }, 10);
    const list = (name: string) => [...g.attributes[name]!.array];
    expect(list('carrierA')).toEqual([0, 1, 2, 3, 10, 0, 0, 0]);
    expect(list('carrierB')).toEqual([4, 5, 6, 7, 0, 0, 0, 0]);
    expect(list('shareA').slice(4)).toEqual([1, 0, 0, 0]);
  });
});
