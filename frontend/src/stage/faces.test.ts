import { expect, test } from 'vitest';
import { Faces, faceText, inside, placesOf, type Triangles } from './faces';

/** A sheet of quads, each cut in two; vertices are doubled along the middle, as a seam of UVs doubles them. */
function sheet(across: number, down: number, doubled = false): Triangles {
  const positions: number[] = [];
  const index: number[] = [];
  const faces: number[] = [];
  const slots: number[] = [];
  for (let y = 0; y < down; y++)
    for (let x = 0; x < across; x++) {
      const at = positions.length / 3;
      positions.push(x, y, 0, x + 1, y, 0, x + 1, y + 1, 0, x, y + 1, doubled ? -0 : 0);
      index.push(at, at + 1, at + 2, at, at + 2, at + 3);
      faces.push(y * across + x, y * across + x);
      slots.push(x % 2, x % 2);
    }
  return {
    positions: Float32Array.from(positions),
    index: Uint32Array.from(index),
    faces: Uint32Array.from(faces),
    slots: Int32Array.from(slots),
  };
}
const picked = (mask: Uint8Array) => [...mask].flatMap((x, k) => (x ? [k] : []));

test('vertices in one place are one, whatever the sign of their nought', () => {
  expect(new Set(placesOf(sheet(3, 2, true).positions)).size).toBe(12);
});

test('flat spreads over what lies in one plane and stops at the bend', () => {
  const t = sheet(4, 1);
  // The last two quads are folded up by 45 degrees.
  for (let v = 0; v < t.positions.length / 3; v++) if (t.positions[3 * v]! > 2) t.positions[3 * v + 2] = t.positions[3 * v]! - 2;
  const f = new Faces(t);
  expect(picked(f.flat(0, 1))).toEqual([0, 1]);
  expect(picked(f.flat(0, 46))).toEqual([0, 1, 2, 3]);
});

test('a piece is what hangs together, a slot is what shares a material', () => {
  const a = sheet(2, 1);
  const b = sheet(1, 1);
  for (let k = 0; k < b.positions.length; k += 3) b.positions[k]! += 9;
  const t: Triangles = {
    positions: Float32Array.from([...a.positions, ...b.positions]),
    index: Uint32Array.from([...a.index, ...b.index.map((k) => k + a.positions.length / 3)]),
    faces: Uint32Array.from([...a.faces, 2, 2]),
    slots: Int32Array.from([...a.slots, 0, 0]),
  };
  const f = new Faces(t);
  expect(picked(f.piece(1))).toEqual([0, 1]);
  expect(picked(f.piece(2))).toEqual([2]);
  expect(picked(f.slot(2))).toEqual([0, 2]);
});

test('an island ends where UVs do not run on, though the surface does', () => {
  const t = sheet(3, 1);
  // Each quad has its own vertices: the first two meet in the UVs as well, the third lies elsewhere on the picture.
  const uv = Float32Array.from({ length: (t.positions.length / 3) * 2 }, (_, k) => t.positions[3 * Math.floor(k / 2) + (k % 2)]! / 4);
  for (let v = 8; v < 12; v++) uv[2 * v]! += 0.5;
  const f = new Faces({ ...t, uv });
  expect(picked(f.island(0))).toEqual([0, 1]);
  expect(picked(f.piece(0))).toEqual([0, 1, 2]);
});

test('a strip runs over opposite sides and not round the corner', () => {
  const f = new Faces(sheet(4, 3));
  const [a, b] = [f.outline(5)[0]!, f.outline(5)[1]!];
  expect(picked(f.strip(5, [a, b]))).toEqual([1, 5, 9]);
  expect(picked(f.strip(5, [f.outline(5)[1]!, f.outline(5)[2]!]))).toEqual([4, 5, 6, 7]);
});

test('growing and shrinking are one face all round, and area goes by it', () => {
  const f = new Faces(sheet(5, 5));
  const one = f.empty();
  one[12] = 1;
  const grown = f.grown(one);
  expect(picked(grown)).toEqual([7, 11, 12, 13, 17]);
  expect(picked(f.shrunk(grown))).toEqual([12]);
  expect(f.figures(grown)).toEqual({ count: 5, area: 5 });
  expect(f.figures(f.inverted(grown)).count).toBe(20);
});

test('three faces on one side all know each other', () => {
  const t: Triangles = {
    positions: Float32Array.from([0, 0, 0, 1, 0, 0, 0, 1, 0, 0, -1, 0, 0, 0, 1]),
    index: Uint32Array.from([0, 1, 2, 1, 0, 3, 0, 1, 4]),
    faces: Uint32Array.from([0, 1, 2]),
    slots: Int32Array.from([0, 0, 0]),
  };
  const f = new Faces(t);
  for (const k of [0, 1, 2]) {
    const one = f.empty();
    one[k] = 1;
    expect(picked(f.grown(one))).toEqual([0, 1, 2]);
  }
});

test('faces are named in runs, and a drawn line has an inside', () => {
  expect(faceText(Uint8Array.from([1, 1, 1, 0, 1, 0, 0, 1, 1]))).toBe('0-2;4;7-8');
  const line: [number, number][] = [
    [0, 0],
    [4, 0],
    [4, 4],
    [2, 1],
    [0, 4],
  ];
  expect([inside(line, 1, 1), inside(line, 2, 3), inside(line, 5, 1)]).toEqual([true, false, false]);
});
