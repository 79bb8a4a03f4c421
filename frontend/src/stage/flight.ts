// Flight: from where the marked elements are seen best. A few directions are tried by drawing the model small, its depth
// first and the marks over it, and counting the pixels that stay. One direction a frame, so that nothing is held up.
import {
  Box3,
  Color,
  DoubleSide,
  type Group,
  Matrix3,
  Mesh,
  MeshBasicMaterial,
  NearestFilter,
  PerspectiveCamera,
  Vector3,
  WebGLRenderTarget,
  Sphere,
} from 'three';
import { lightly } from './light';
import { MARKS } from './marks';
import type { Stage } from './stage';

const SIZE = 96;
const TRIED = 7;
/** Above this many triangles the model's light index stands in for it. */
const LIGHT_OVER = 300_000;
const depth = new MeshBasicMaterial({
  colorWrite: false,
  side: DoubleSide,
  polygonOffset: true,
  polygonOffsetFactor: 1,
  polygonOffsetUnits: 4,
});
const white = new MeshBasicMaterial({ color: '#fff', side: DoubleSide });

/** Directions from the middle outwards, evenly spread (a Fibonacci lattice), none of them from straight below. */
const DIRECTIONS = Array.from({ length: 40 }, (_, k) => {
  const y = 1 - (2 * k + 1) / 40;
  const r = Math.sqrt(1 - y * y);
  return new Vector3(r * Math.cos(2.399963 * k), y, r * Math.sin(2.399963 * k));
}).filter((d) => d.y > -0.75);

/** How much each direction looks along the marked faces' normals, either side of them: turned faces are seen from behind. */
function facing(groups: Group[], d: Vector3) {
  let sum = 0;
  const [a, b, c, n] = [new Vector3(), new Vector3(), new Vector3(), new Vector3()];
  for (const group of groups) {
    const mesh = group.children[0];
    if (!(mesh instanceof Mesh)) continue;
    const p = mesh.geometry.attributes.position!;
    const index = mesh.geometry.index!.array;
    const turn = new Matrix3().setFromMatrix4(mesh.matrixWorld);
    const step = 3 * Math.max(1, Math.floor(index.length / 3 / 2000));
    for (let i = 0; i + 2 < index.length; i += step) {
      a.fromBufferAttribute(p, index[i]!);
      n.crossVectors(b.fromBufferAttribute(p, index[i + 1]!).sub(a), c.fromBufferAttribute(p, index[i + 2]!).sub(a)).applyMatrix3(turn);
      sum += Math.abs(n.dot(d));
    }
  }
  return sum;
}

/** The direction from which most of the marks is seen, the present one unless another shows clearly more. */
export async function bestDirection(
  stage: Stage,
  groups: Group[],
  box: Box3,
  triangles: number,
  wanted: () => boolean,
): Promise<Vector3 | null> {
  const present = stage.camera.position.clone().sub(box.getCenter(new Vector3())).normalize();
  const ranked = DIRECTIONS.map((d) => ({ d, score: facing(groups, d) })).sort((a, b) => b.score - a.score);
  const tried = [present, ...ranked.slice(0, TRIED).map((r) => r.d)];
  const target = new WebGLRenderTarget(SIZE, SIZE, { minFilter: NearestFilter, magFilter: NearestFilter });
  const sphere = box.getBoundingSphere(new Sphere());
  let best = { d: present, seen: 0 };
  try {
    for (const [k, d] of tried.entries()) {
      if (k) await new Promise((done) => requestAnimationFrame(done));
      if (!wanted()) return null;
      const seen = visible(stage, target, sphere, d, triangles > LIGHT_OVER);
      // Another view must show a quarter more than the present one: a camera that jumps about tells nothing.
      if (!k || seen > best.seen * (best.d === present ? 1.25 : 1)) best = { d, seen };
    }
  } finally {
    target.dispose();
  }
  return best.d;
}

/** Pixels of the marks that the model does not hide, seen from a direction. */
function visible(stage: Stage, target: WebGLRenderTarget, sphere: Sphere, d: Vector3, light: boolean) {
  const { renderer, scene } = stage;
  const camera = new PerspectiveCamera(22, 1, 0.01, 10);
  const distance = Math.max(sphere.radius, stage.size * 0.03) / Math.sin((11 * Math.PI) / 180);
  camera.position.copy(sphere.center).addScaledVector(d, distance);
  camera.up.set(0, Math.abs(d.y) > 0.98 ? 0 : 1, Math.abs(d.y) > 0.98 ? 1 : 0);
  camera.lookAt(sphere.center);
  camera.near = distance * 0.02;
  camera.far = distance + stage.size * 2;
  camera.updateProjectionMatrix();
  camera.updateMatrixWorld();
  const whole = light && stage.root ? lightly(stage.root) : null;
  const before = scene.overrideMaterial;
  stage.hideProps(true);
  renderer.setRenderTarget(target);
  renderer.setClearColor(new Color(0), 0);
  renderer.clear();
  scene.overrideMaterial = depth;
  camera.layers.set(0);
  renderer.render(scene, camera);
  scene.overrideMaterial = white;
  camera.layers.set(MARKS);
  renderer.render(scene, camera);
  scene.overrideMaterial = before;
  stage.hideProps(false);
  whole?.();
  const pixels = new Uint8Array(SIZE * SIZE * 4);
  renderer.readRenderTargetPixels(target, 0, 0, SIZE, SIZE, pixels);
  renderer.setRenderTarget(null);
  let n = 0;
  for (let i = 0; i < pixels.length; i += 4) n += pixels[i]! > 127 ? 1 : 0;
  return n;
}
