// What lies under the pointer, and which parts lie within a frame that was drawn.
import { Raycaster, Vector2, Vector3, type Mesh } from 'three';
import type { DisplayModel, Origins } from './displayCopy';
import type { Stage } from './stage';

export interface Picked {
  node: number;
  face: number;
}

/** The part and polygon that is drawn at a place of the stage in CSS pixels; null where nothing is. */
export function pick(stage: Stage, model: DisplayModel, x: number, y: number): Picked | null {
  const ray = new Raycaster();
  ray.setFromCamera(new Vector2((x / stage.w) * 2 - 1, 1 - (y / stage.h) * 2), stage.camera);
  const seen = [...model.parts.values()].filter((m) => m.visible);
  const hit = ray.intersectObjects(seen, false)[0];
  if (!hit || typeof hit.faceIndex !== 'number') return null;
  const origins = hit.object.userData.origins ?? ((hit.object as Mesh).geometry.userData.origins as Origins | undefined);
  return { node: hit.object.userData.node as number, face: origins?.faces[hit.faceIndex] ?? -1 };
}

export interface Frame {
  left: number;
  top: number;
  right: number;
  bottom: number;
}

/** Nodes of the parts that are seen and whose box has its middle within a frame on the stage. */
export function within(stage: Stage, model: DisplayModel, f: Frame): number[] {
  const out: number[] = [];
  for (const [node, mesh] of model.parts) {
    if (!mesh.visible) continue;
    mesh.geometry.computeBoundingBox();
    const p = mesh.geometry.boundingBox!.getCenter(new Vector3()).applyMatrix4(mesh.matrixWorld).project(stage.camera);
    const [x, y] = [(p.x * 0.5 + 0.5) * stage.w, (-p.y * 0.5 + 0.5) * stage.h];
    if (p.z < 1 && x >= f.left && x <= f.right && y >= f.top && y <= f.bottom) out.push(node);
  }
  return out;
}
