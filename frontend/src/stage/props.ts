// Things to compare with: a paper figure of 1.75 m and one-metre cubes.
import {
  Box3,
  BufferGeometry,
  Float32BufferAttribute,
  Group,
  Mesh,
  Shape,
  ShapeGeometry,
  Vector3,
  BoxGeometry,
  EdgesGeometry,
  LineSegments,
} from 'three';
import { lineMaterial, paper } from './looks';
import { TOKENS } from './tokens';

/** A flat figure standing 1.75 m, feet at the origin, facing +Z. */
export function person() {
  const half: [number, number][] = [
    [0, 1.75],
    [0.055, 1.742],
    [0.095, 1.7],
    [0.1, 1.63],
    [0.085, 1.56],
    [0.05, 1.51],
    [0.05, 1.46],
    [0.12, 1.425],
    [0.2, 1.39],
    [0.235, 1.32],
    [0.25, 1.12],
    [0.262, 0.9],
    [0.272, 0.78],
    [0.255, 0.74],
    [0.232, 0.77],
    [0.215, 0.95],
    [0.185, 1.16],
    [0.172, 1.0],
    [0.175, 0.85],
    [0.17, 0.62],
    [0.145, 0.35],
    [0.13, 0.08],
    [0.17, 0.025],
    [0.165, 0],
    [0.06, 0],
    [0.05, 0.08],
    [0.055, 0.4],
    [0.03, 0.78],
    [0, 0.8],
  ];
  const s = new Shape();
  s.moveTo(half[0]![0], half[0]![1]);
  for (const [x, y] of half.slice(1)) s.lineTo(x, y);
  for (const [x, y] of [...half].reverse().slice(1)) s.lineTo(-x, y);
  const g = new ShapeGeometry(s);
  return new Mesh(g, paper({ hex: TOKENS.person, flat: true, ink: 0 }));
}

/** One-metre cubes stacked beside the model, as many as it is tall, at most twelve. */
export function cubes(height: number) {
  const group = new Group();
  const count = Math.min(12, Math.max(1, Math.ceil(height - 0.05)));
  const solid = paper({ hex: '#EFE7D6', flat: true, soft: true, ink: 0, opacity: 0.55 });
  const edge = lineMaterial(TOKENS.ink, 0.7);
  for (let k = 0; k < count; k++) {
    const box = new BoxGeometry(1, 1, 1);
    const cube = new Mesh(box, solid);
    cube.add(new LineSegments(plain(new EdgesGeometry(box)), edge));
    cube.position.y = k + 0.5;
    group.add(cube);
  }
  return group;
}

const plain = (g: EdgesGeometry) =>
  new BufferGeometry().setAttribute('position', new Float32BufferAttribute(g.attributes.position!.array, 3));

/** Stands something beside a box: to its left as seen from the front, on the floor. */
export function beside(box: Box3, width: number, gap: number, depth = 0) {
  return new Vector3(box.min.x - gap - width / 2, 0, (box.min.z + box.max.z) / 2 + depth);
}
