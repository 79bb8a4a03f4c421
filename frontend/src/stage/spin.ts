// Spin test: a part is turned once about the upright through its pivot, and put back where it was.
import { type Mesh, Matrix4, Vector3 } from 'three';
import type { Stage } from './stage';

const ONE_TURN = 2600; // ms
let running: symbol | null = null;

/** Turns a part once. With `still`, as for those who asked for less motion, it is shown at a quarter turn for a moment instead. */
export async function spin(stage: Stage, mesh: Mesh, still: boolean): Promise<void> {
  if (running) return;
  const own = (running = Symbol('spin'));
  const before = mesh.matrixWorld.clone();
  const above = mesh.parent?.matrixWorld.clone().invert() ?? new Matrix4();
  const pivot = (mesh.userData.pivot as Vector3).clone().applyMatrix4(before);
  const automatic = mesh.matrixAutoUpdate;
  const kept = mesh.matrix.clone();
  mesh.matrixAutoUpdate = false;
  const show = (turn: number) => {
    const about = new Matrix4()
      .makeTranslation(pivot)
      .multiply(new Matrix4().makeRotationY(turn))
      .multiply(new Matrix4().makeTranslation(pivot.clone().negate()));
    mesh.matrix.copy(above).multiply(about).multiply(before);
    mesh.updateMatrixWorld(true);
    stage.modelChanged();
  };
  try {
    if (still) {
      show(Math.PI / 2);
      await new Promise((done) => setTimeout(done, 1800));
      return;
    }
    const began = stage.now();
    for (let t = 0; t < 1; t = (stage.now() - began) / ONE_TURN) {
      show(2 * Math.PI * t * t * (3 - 2 * t));
      await new Promise((done) => requestAnimationFrame(done));
    }
  } finally {
    if (running === own) running = null;
    mesh.matrix.copy(kept);
    mesh.matrixAutoUpdate = automatic;
    mesh.updateMatrixWorld(true);
    stage.modelChanged();
  }
}
