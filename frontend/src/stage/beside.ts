// What can stand beside a model to say how big it is: the quay's levelling staff, a hand rule and a button for small things, the
// ferry hut's front for large ones, and metre cubes. None of them is of the model: they cast no shadow and carry no outline.
import {
  Box3,
  BoxGeometry,
  BufferGeometry,
  CylinderGeometry,
  EdgesGeometry,
  ExtrudeGeometry,
  Float32BufferAttribute,
  Group,
  LineSegments,
  Mesh,
  Path,
  Shape,
  TorusGeometry,
  Vector3,
  type BufferGeometry as Geometry,
} from 'three';
import { lineMaterial, paper } from './looks';
import { TOKENS } from './tokens';
import { writing } from './writing';

const FIGURES = '600 80px "IBM Plex Mono", ui-monospace, monospace';
const solid = (g: Geometry, hex: string, x = 0, y = 0, z = 0) => {
  const mesh = new Mesh(g, paper({ hex, ink: 0 }));
  mesh.position.set(x, y, z);
  return mesh;
};
/** The same writing on both faces of a board of that thickness. */
function onBoth(group: Group, text: string, width: number, x: number, y: number, thick: number) {
  for (const side of [1, -1]) {
    const w = writing(text, width, { font: FIGURES });
    w.position.set(x, y, side * (thick / 2 + width * 0.02));
    if (side < 0) w.rotation.y = Math.PI;
    group.add(w);
  }
}

/** A board of bands with every whole `unit` numbered: the staff in tenths of a metre, the rule in centimetres. */
function graduated(height: number, width: number, band: number, every: number, name: (n: number) => string) {
  const group = new Group();
  const thick = width * 0.3;
  for (let k = 0; k < Math.round(height / band); k++) {
    const dark = k % 2 === 1;
    group.add(solid(new BoxGeometry(width, band, thick), dark ? TOKENS.band : TOKENS.board, 0, (k + 0.5) * band));
    const n = k + 1;
    if (n % every) continue;
    // The number stands on a plate of its own, whose upper edge is its mark.
    const [w, h] = [width * 1.9, width * 1.5];
    const [x, y] = [width / 2 + w / 2, n * band - h / 2];
    group.add(solid(new BoxGeometry(w, h, thick * 0.6), TOKENS.board, x, y));
    onBoth(group, name(n / every), w * 1.7, x, y, thick * 0.6);
  }
  return group;
}

/** A person's height, which the ring marks. */
const RING = 1.75;
function staff(tall: number) {
  const height = Math.min(5, Math.max(2, Math.ceil(tall)));
  const group = graduated(height, 0.12, 0.1, 10, (n) => String(n));
  const ring = solid(new TorusGeometry(0.11, 0.016, 10, 40).rotateX(Math.PI / 2), TOKENS.ring, 0, RING);
  group.add(ring);
  return group;
}
function door(tall: number) {
  const group = staff(tall);
  const [w, h, beam] = [0.9, 2.0, 0.07];
  for (const x of [-w / 2 - beam / 2, w / 2 + beam / 2])
    group.add(solid(new BoxGeometry(beam, h + beam, 0.12), TOKENS.board, x - 0.75, (h + beam) / 2));
  group.add(solid(new BoxGeometry(w, beam, 0.12), TOKENS.board, -0.75, h + beam / 2));
  return group;
}
function rule() {
  const group = graduated(0.2, 0.024, 0.01, 5, (n) => String(n * 5));
  return group;
}
/** 25 mm across, with its four holes, standing on its rim. */
function button() {
  const face = new Shape().absarc(0, 0, 0.0125, 0, 2 * Math.PI);
  for (const [x, y] of [
    [1, 1],
    [1, -1],
    [-1, 1],
    [-1, -1],
  ])
    face.holes.push(new Path().absarc(x! * 0.0026, y! * 0.0026, 0.0012, 0, 2 * Math.PI));
  const group = new Group();
  group.add(solid(new ExtrudeGeometry(face, { depth: 0.002, bevelEnabled: false, curveSegments: 32 }), TOKENS.board, 0, 0.0125, -0.001));
  group.add(solid(new TorusGeometry(0.0115, 0.0012, 8, 40), TOKENS.ring, 0, 0.0125, 0));
  return group;
}
/** The ferry hut's front, 6 m to the ridge: boards, a door of 2.0 × 0.9 m and a window. */
function front() {
  const s = new Shape();
  s.moveTo(-2.4, 0).lineTo(2.4, 0).lineTo(2.4, 3.9).lineTo(0, 6).lineTo(-2.4, 3.9).closePath();
  const hole = (x: number, y: number, w: number, h: number) => {
    const p = new Path();
    p.moveTo(x, y)
      .lineTo(x, y + h)
      .lineTo(x + w, y + h)
      .lineTo(x + w, y)
      .closePath();
    return p;
  };
  s.holes.push(hole(-1.35, 0, 0.9, 2), hole(0.4, 1.1, 1.1, 0.9));
  const group = new Group();
  group.add(solid(new ExtrudeGeometry(s, { depth: 0.14, bevelEnabled: false }), TOKENS.board, 0, 0, -0.07));
  for (const y of [2.4, 3, 3.6]) group.add(solid(new BoxGeometry(4.84, 0.05, 0.2), TOKENS.band, 0, y));
  group.add(solid(new CylinderGeometry(0.16, 0.16, 0.2, 24).rotateX(Math.PI / 2), TOKENS.ring, 0, 4.6));
  return group;
}

export interface Measure {
  key: 'button' | 'rule' | 'staff' | 'door' | 'hut';
  name: string;
  says: string;
  /** Metres from left to right, and how far its middle lies right of where it stands. */
  wide: number;
  shift: number;
  /** tall: metres of what it stands beside. */
  make: (tall: number) => Group;
}
export const MEASURES: readonly Measure[] = [
  { key: 'staff', name: 'Staff', says: 'bands of 10 cm, a ring at 1.75 m', wide: 0.24, shift: 0, make: staff },
  { key: 'door', name: 'Staff, door', says: 'bands of 10 cm, a ring at 1.75 m, a door of 2.0 × 0.9 m', wide: 1.4, shift: 0.58, make: door },
  { key: 'rule', name: 'Hand rule', says: '20 cm', wide: 0.03, shift: 0, make: rule },
  { key: 'button', name: 'Button', says: '25 mm across', wide: 0.025, shift: 0, make: button },
  { key: 'hut', name: 'Hut front', says: "the ferry hut's, 6 m to the ridge", wide: 4.8, shift: 0, make: front },
];

/** What a model of that longest side in metres is best compared with. */
export function suited(longest: number): Measure['key'] {
  return longest < 0.07 ? 'button' : longest < 0.6 ? 'rule' : longest < 8 ? 'staff' : 'hut';
}

/** One-metre cubes stacked beside the model, as many as it is tall, at most twelve. */
export function cubes(height: number) {
  const group = new Group();
  const count = Math.min(12, Math.max(1, Math.ceil(height - 0.05)));
  const pale = paper({ hex: '#EFE7D6', flat: true, soft: true, ink: 0, opacity: 0.55 });
  const edge = lineMaterial(TOKENS.ink, 0.7);
  for (let k = 0; k < count; k++) {
    const box = new BoxGeometry(1, 1, 1);
    const cube = new Mesh(box, pale);
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
