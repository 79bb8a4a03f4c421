// The floor under the model: squares of a stated size, the shadow, and the front written on it as an arrow.
import { Box3, BufferAttribute, BufferGeometry, Group, Mesh, Vector3 } from 'three';
import { floor, paper } from './looks';
import { TOKENS } from './tokens';
import { writing } from './writing';

/** An arrow that lies on the floor and points to +Z, the tail at the origin. */
function arrow(length: number) {
  const [shaft, head, half, wing] = [length * 0.58, length, length * 0.035, length * 0.15];
  const points = [-half, 0, half, 0, half, shaft, -half, 0, half, shaft, -half, shaft, -wing, shaft, wing, shaft, 0, head];
  const flat = new Float32Array(points.length * 1.5);
  for (let k = 0; k < points.length / 2; k++) flat.set([points[2 * k]!, 0, points[2 * k + 1]!], 3 * k);
  const g = new BufferGeometry().setAttribute('position', new BufferAttribute(flat, 3));
  g.setAttribute(
    'normal',
    new BufferAttribute(
      new Float32Array(flat.length).map((_, i) => (i % 3 === 1 ? 1 : 0)),
      3,
    ),
  );
  return new Mesh(g, paper({ hex: TOKENS.ink, flat: true, soft: true, ink: 0, opacity: 0.72 }));
}

/** Floor, shadow and front arrow for a model's box. A step of 0 draws the shadow alone. */
export function groundOf(box: Box3, step: number) {
  const size = Math.max(box.getSize(new Vector3()).length(), 1e-6);
  const group = new Group().add(floor(step, size * 2.6));
  if (!step) return group;
  const length = size * 0.17;
  const middle = box.getCenter(new Vector3());
  const lies = new Group().add(arrow(length));
  const name = writing('front', length * 1.05).rotateX(-Math.PI / 2);
  name.position.set(0, 0, length * 1.24);
  lies.add(name);
  // A hair above the floor, in front of the model.
  lies.position.set(middle.x, size * 2e-4, box.max.z + size * 0.06);
  for (const o of lies.children) o.renderOrder = 1;
  return group.add(lies);
}
