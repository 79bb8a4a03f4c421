// How far away what is seen is, at each pixel: whether a face that lies within a drawn line is in front, or hidden behind another.
import { Mesh, MeshDepthMaterial, RGBADepthPacking, Vector3, WebGLRenderTarget, type Material, type Object3D } from 'three';
import type { DisplayModel } from './displayCopy';
import type { Stage } from './stage';

/** How much deeper than what is seen a face may lie and still be seen, as a share of the depth's range. */
const NEAR = 2e-3;

/** Tells of points in the world whether they are seen where they are drawn. */
export function seenFrom(stage: Stage, model: DisplayModel): (p: Vector3) => boolean {
  const [w, h] = [Math.ceil(stage.w), Math.ceil(stage.h)];
  const target = new WebGLRenderTarget(w, h);
  const depth = new MeshDepthMaterial({ depthPacking: RGBADepthPacking, side: 2 });
  const put = new Map<Mesh, Material | Material[]>();
  const hidden: Object3D[] = [];
  for (const mesh of model.parts.values()) {
    put.set(mesh, mesh.material);
    mesh.material = depth;
    hidden.push(...mesh.children.filter((child) => child.visible));
  }
  for (const child of hidden) child.visible = false;
  const { renderer } = stage;
  const clear = renderer.getClearAlpha();
  renderer.setRenderTarget(target);
  renderer.setClearAlpha(1);
  renderer.clear();
  renderer.render(model.root, stage.camera);
  const pixels = new Uint8Array(4 * w * h);
  renderer.readRenderTargetPixels(target, 0, 0, w, h, pixels);
  renderer.setRenderTarget(null);
  renderer.setClearAlpha(clear);
  for (const [mesh, material] of put) mesh.material = material;
  for (const child of hidden) child.visible = true;
  target.dispose();
  depth.dispose();
  stage.modelChanged();
  const at = new Vector3();
  return (p) => {
    at.copy(p).project(stage.camera);
    const [x, y] = [Math.floor((at.x * 0.5 + 0.5) * w), Math.floor((at.y * 0.5 + 0.5) * h)];
    if (x < 0 || y < 0 || x >= w || y >= h || at.z > 1) return false;
    const k = 4 * (y * w + x);
    const seen = unpacked(pixels[k]!, pixels[k + 1]!, pixels[k + 2]!, pixels[k + 3]!);
    return at.z * 0.5 + 0.5 <= seen + NEAR * Math.max(1e-3, 1 - seen);
  };
}

/** A depth of 0 to 1 from the bytes in which three.js packs it. */
const unpacked = (r: number, g: number, b: number, a: number) =>
  (r / 255) * (255 / 256) + (g / 255) * (255 / 256 / 256) + (b / 255) * (255 / 256 / 256 / 256) + a / 255 / (256 * 256 * 256);
