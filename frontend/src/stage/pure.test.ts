// What of the stage is arithmetic: where the glass shows what, which elements lie together, how coarsely is drawn.
import { BufferAttribute, BufferGeometry, Matrix4, Mesh } from 'three';
import { describe, expect, it } from 'vitest';
import { clusters } from './clusters';
import { Ladder } from './ladder';
import { Loupe } from './loupe';
import { facesIndex } from './marks';

/** Triangles in a row, each two units from the next; `vertex` says which stored vertex each corner is. */
function row(vertex: number[]) {
  const g = new BufferGeometry();
  const places = vertex.flatMap((_, i) => [2 * Math.floor(i / 3) + (i % 3 === 1 ? 1 : 0), i % 3 === 2 ? 1 : 0, 0]);
  g.setAttribute('position', new BufferAttribute(Float32Array.from(places), 3));
  g.setIndex(new BufferAttribute(Uint32Array.from(vertex.keys()), 1));
  g.userData.vertex = Uint32Array.from(vertex);
  return g;
}

describe('the loupe', () => {
  const loupe = new Loupe();
  loupe.set({ shape: 'circle', x: 100, y: 80, r: 60, zoom: 3 });
  it('shows a third of its width three times as large', () => expect(loupe.window()).toEqual({ x: 80, y: 60, w: 40, h: 40 }));
  it('leads to where a point is seen in the glass, and nowhere else', () => {
    expect(loupe.through(110, 80)).toEqual([130, 80]);
    expect(loupe.through(125, 80)).toEqual([125, 80]);
    loupe.set({ shape: 'split' });
    expect(loupe.through(110, 80)).toEqual([110, 80]);
  });
  it('tells what it was before', () => {
    const told: number[] = [];
    loupe.listeners.add((before) => told.push(before.x));
    loupe.set({ x: 7 });
    loupe.set({ x: 8 });
    expect(told).toEqual([100, 7]);
  });
});

describe('places of evidence', () => {
  it('gathers elements that share a vertex, the largest group first', () => {
    const boxes = clusters(row([0, 1, 2, 3, 4, 5, 5, 6, 7]), 3, new Matrix4());
    expect(boxes.map((b) => [b.min.x, b.max.x])).toEqual([
      [2, 5],
      [0, 1],
    ]);
  });
  it('lays boxes where the part stands', () => {
    const [box] = clusters(row([0, 1, 2]), 3, new Matrix4().makeTranslation(10, 0, 0));
    expect([box!.min.x, box!.max.x]).toEqual([10, 11]);
  });
});

describe('marked faces', () => {
  it('are all triangles of the polygons that are named, and of no other', () => {
    const g = row([0, 1, 2, 3, 4, 5, 6, 7, 8]);
    g.userData.origins = { faces: Uint32Array.of(0, 1, 1), vertex: g.userData.vertex };
    expect([...facesIndex(new Mesh(g), Int32Array.of(1))]).toEqual([3, 4, 5, 6, 7, 8]);
    expect([...facesIndex(new Mesh(g), Int32Array.of(7))]).toEqual([]);
  });
});

describe('the ladder', () => {
  it('steps down while frames are slow, and back after many quick ones', () => {
    const ladder = new Ladder();
    let t = 1;
    for (let k = 0; k < 10; k++) ladder.moved((t += 200));
    expect(ladder.step.scale).toBe(0.5);
    for (let k = 0; k < 400; k++) ladder.moved((t += 8));
    expect(ladder.step).toEqual({ scale: 1, lens: true });
  });
  it('takes a pause for no slow frame', () => {
    const ladder = new Ladder();
    [1, 9, 5000, 5008].forEach((t) => ladder.moved(t));
    expect(ladder.step.scale).toBe(1);
  });
});
