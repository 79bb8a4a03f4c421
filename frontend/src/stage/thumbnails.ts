// Thumbnails: the same hand, small. One hidden stage serves the whole shelf, one model at a time.
import { Vector3 } from 'three';
import { readDisplayCopy } from './displayCopy';
import { Stage } from './stage';
import { Viewer } from './viewer';

/** Part of the stored picture's key: raise it when the drawing changes. */
export const STYLE = 2;
let stage: Stage | null = null;
let line: Promise<unknown> = Promise.resolve();

/** A WebP of a display copy, standing on its lower edge. */
export function thumbnail(load: () => Promise<ArrayBuffer>, w = 236, h = 190): Promise<Blob> {
  const made = line.then(async () => {
    const model = await readDisplayCopy(await load());
    const s = (stage ??= new Stage(document.createElement('canvas'), { dpr: 2, size: [w, h] }));
    s.loupe.shape = 'none';
    s.setModel(model.root, 0);
    const viewer = new Viewer(s, document.createElement('div'), () => true);
    viewer.fit(s.box, 0.6, 0.2);
    stand(s);
    viewer.dispose();
    s.drawStill(4);
    const blob = await new Promise<Blob | null>((done) => s.canvas.toBlob(done, 'image/webp', 0.9)); // in the task of the drawing
    if (!blob) throw new Error('The picture could not be drawn.');
    return blob;
  });
  line = made.catch(() => undefined);
  return made;
}

/** Moves the camera until the box fills the frame and its lowest corner lies near the lower edge: models stand on the plank. */
function stand(s: Stage) {
  const c = s.box.getCenter(new Vector3());
  const d = s.camera.position.clone().sub(c).normalize();
  let distance = s.size * 4;
  let down = 0;
  const up = new Vector3(0, 1, 0).addScaledVector(d, -d.y).normalize();
  for (let i = 0; i < 8; i++) {
    s.camera.position.copy(c).addScaledVector(up, down).addScaledVector(d, distance);
    s.camera.lookAt(c.clone().addScaledVector(up, down));
    s.camera.updateMatrixWorld();
    let [left, right, low, high] = [9, -9, 9, -9];
    for (let k = 0; k < 8; k++) {
      const p = new Vector3(
        k & 1 ? s.box.max.x : s.box.min.x,
        k & 2 ? s.box.max.y : s.box.min.y,
        k & 4 ? s.box.max.z : s.box.min.z,
      ).project(s.camera);
      [left, right, low, high] = [Math.min(left, p.x), Math.max(right, p.x), Math.min(low, p.y), Math.max(high, p.y)];
    }
    const fill = Math.max(right - left, high - low) / 1.84;
    const unit = distance * Math.tan((s.camera.fov * Math.PI) / 360);
    down += (low + 0.95) * unit * 0.9;
    distance *= fill;
  }
}
