// Picked faces on the stage: stippled, with a thin rim; and faces that are put out of sight.
import { BufferAttribute, BufferGeometry, Group, LessEqualDepth, LineSegments, Mesh } from 'three';
import type { Origins } from './displayCopy';
import { Faces, type Mask } from './faces';
import { lineMaterial, paper } from './looks';
import { facesIndex } from './marks';
import type { Posing } from './rig';
import { TOKENS } from './tokens';

const STIPPLE =
  'c.a *= step(length(mod(gl_FragCoord.xy + vec2(0., 2.5 * uDpr * mod(floor(gl_FragCoord.x / (5. * uDpr)), 2.)), 5. * uDpr) - 2.5 * uDpr), 1.3 * uDpr) * .62 + .3;';

/** Faces of a drawn part, worked out once for all who point at it. */
export function facesOf(mesh: Mesh): Faces {
  const g = mesh.geometry;
  if (!g.userData.pointed) {
    const origins = g.userData.origins as Origins;
    const slots = new Int32Array(origins.faces.length);
    const surfaces = mesh.userData.surfaces as { slot: number }[];
    for (const run of g.groups) slots.fill(surfaces[run.materialIndex ?? 0]?.slot ?? -1, run.start / 3, (run.start + run.count) / 3);
    g.userData.pointed = new Faces({
      positions: g.attributes.position!.array as Float32Array,
      index: (g.userData.whole ?? g.index!.array) as Uint32Array,
      faces: origins.faces,
      slots,
      ...(g.attributes.uv ? { uv: g.attributes.uv.array as Float32Array } : {}),
    });
  }
  return g.userData.pointed as Faces;
}

/** Draws picked faces over a part. */
export function drawPick(mesh: Mesh, mask: Mask): Group {
  const posing = (mesh.userData.posing as Posing | null) ?? null;
  const own = (index: Uint32Array) => {
    const g = new BufferGeometry();
    for (const [name, attribute] of Object.entries(mesh.geometry.attributes)) g.setAttribute(name, attribute);
    g.setIndex(new BufferAttribute(index, 1));
    return g;
  };
  const marked = Int32Array.from(mask.reduce<number[]>((all, x, f) => (x ? (all.push(f), all) : all), []));
  const group = new Group();
  const fill = new Mesh(
    own(facesIndex(mesh, marked)),
    paper({
      hex: TOKENS.band,
      posing,
      soft: true,
      flat: true,
      ink: 0,
      options: { depthFunc: LessEqualDepth, polygonOffset: true, polygonOffsetFactor: -1, polygonOffsetUnits: -2, side: 2 },
      look: STIPPLE,
    }),
  );
  const rim = new LineSegments(own(facesOf(mesh).rim(mask)), lineMaterial(TOKENS.ink, 0.9, { posing }));
  fill.renderOrder = 3;
  rim.renderOrder = 5;
  group.add(fill, rim);
  mesh.add(group);
  group.updateMatrixWorld(true);
  return group;
}

/** Puts faces of a part out of sight: their triangles fall together to a point, so that all numbers stay what they were. */
export function hideFaces(mesh: Mesh, mask: Mask | null) {
  const g = mesh.geometry;
  const whole = (g.userData.whole ??= g.index!.array) as Uint32Array;
  g.userData.lightAside ??= mesh.userData.light ?? null;
  if (!mask) {
    if (g.index!.array !== whole) g.setIndex(new BufferAttribute(whole, 1));
    mesh.userData.light = g.userData.lightAside;
    return;
  }
  const { faces } = g.userData.origins as Origins;
  const index = whole.slice();
  faces.forEach((f, t) => mask[f] && index.fill(whole[3 * t]!, 3 * t, 3 * t + 3));
  g.setIndex(new BufferAttribute(index, 1));
  // The coarse drawing for motion would show them still.
  mesh.userData.light = null;
}
