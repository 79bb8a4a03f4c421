// Viewer: how the camera moves. Orbit, pan and zoom by hand and keyboard, fit, walk round, fly to evidence.
import { Box3, MOUSE, Spherical, Vector3 } from 'three';
import { OrbitControls } from 'three/addons/controls/OrbitControls.js';
import type { Stage } from './stage';

export type Side = 'front' | 'left' | 'back' | 'right' | 'top' | 'free';
const DIRECTIONS: Record<Exclude<Side, 'free'>, [number, number]> = {
  front: [0, 0.12],
  left: [-Math.PI / 2, 0.12],
  back: [Math.PI, 0.12],
  right: [Math.PI / 2, 0.12],
  top: [0, 1.5],
};

export class Viewer {
  readonly controls: OrbitControls;
  side: Side = 'free';
  onSide: (side: Side) => void = () => {};
  private flight = 0;

  constructor(
    private readonly stage: Stage,
    element: HTMLElement,
    private readonly still: () => boolean,
  ) {
    this.controls = new OrbitControls(stage.camera, element);
    this.controls.enableDamping = false;
    this.controls.zoomToCursor = true;
    this.controls.mouseButtons = { LEFT: MOUSE.ROTATE, MIDDLE: MOUSE.PAN, RIGHT: MOUSE.PAN };
    this.controls.addEventListener('change', () => stage.invalidate());
    this.controls.addEventListener('start', () => {
      cancelAnimationFrame(this.flight);
      stage.hold(true);
      this.name('free');
    });
    this.controls.addEventListener('end', () => stage.hold(false));
  }

  dispose() {
    cancelAnimationFrame(this.flight);
    this.controls.dispose();
  }

  private name(side: Side) {
    if (side !== this.side) this.onSide((this.side = side));
  }

  /** The distance at which a box fills the view, clear of caption and rack. */
  private distance(box: Box3, direction: Vector3) {
    const cam = this.stage.camera;
    const size = box.getSize(new Vector3());
    const right = new Vector3().crossVectors(new Vector3(0, 1, 0), direction);
    if (right.lengthSq() < 1e-6) right.set(1, 0, 0);
    right.normalize();
    const up = new Vector3().crossVectors(direction, right);
    const extent = (axis: Vector3) => Math.abs(axis.x) * size.x + Math.abs(axis.y) * size.y + Math.abs(axis.z) * size.z;
    const half = Math.tan((cam.fov * Math.PI) / 360);
    const high = extent(up) / 2 / half / 0.68;
    const wide = extent(right) / 2 / half / cam.aspect / 0.78;
    return Math.max(high, wide) + extent(direction) / 2;
  }

  private place(target: Vector3, direction: Vector3, distance: number) {
    this.controls.target.copy(target);
    this.stage.camera.position.copy(target).addScaledVector(direction, distance);
    this.controls.minDistance = this.stage.size * 0.02;
    this.controls.maxDistance = this.stage.reach * 12;
    this.controls.update();
    this.stage.invalidate();
  }

  /** Sets the whole model into view, at once. */
  fit(box: Box3, yaw = 0.6, pitch = 0.26) {
    const d = new Vector3(Math.sin(yaw) * Math.cos(pitch), Math.sin(pitch), Math.cos(yaw) * Math.cos(pitch));
    this.place(this.centre(box, d), d, this.distance(box, d));
    this.name('free');
  }

  /** The middle of a box, lowered a little on screen so that caption and rack stay clear. */
  private centre(box: Box3, direction: Vector3) {
    const c = box.getCenter(new Vector3());
    const lift = this.distance(box, direction) * Math.tan((this.stage.camera.fov * Math.PI) / 360) * 0.06;
    return c.setY(c.y - lift * Math.sqrt(Math.max(0, 1 - direction.y ** 2)));
  }

  walk(side: Exclude<Side, 'free'>, box: Box3) {
    const [yaw, pitch] = DIRECTIONS[side];
    void this.flyTo(box, new Vector3(Math.sin(yaw) * Math.cos(pitch), Math.sin(pitch), Math.cos(yaw) * Math.cos(pitch))).then(() =>
      this.name(side),
    );
  }

  /** Turns by keyboard, in radians. */
  turn(yaw: number, pitch: number) {
    const s = new Spherical().setFromVector3(this.stage.camera.position.clone().sub(this.controls.target));
    s.theta += yaw;
    s.phi = Math.min(Math.PI - 0.02, Math.max(0.02, s.phi + pitch));
    this.place(this.controls.target, new Vector3().setFromSpherical(s).normalize(), s.radius);
    this.name('free');
  }

  zoom(factor: number) {
    const d = this.stage.camera.position.clone().sub(this.controls.target);
    this.place(this.controls.target, d.clone().normalize(), d.length() * factor);
  }

  /** Flies on a sphere round the target, so that it never passes through the model. */
  flyTo(box: Box3, direction?: Vector3): Promise<void> {
    const size = box.getSize(new Vector3()).length();
    const wide = box.clone().expandByScalar(Math.max(0, this.stage.size * 0.14 - size / 2));
    const from = this.stage.camera.position.clone().sub(this.controls.target);
    const d = (direction ?? from.clone().normalize()).clone();
    const to = this.centre(wide, d);
    const c0 = this.controls.target.clone();
    const s0 = new Spherical().setFromVector3(from);
    const s1 = new Spherical().setFromVector3(d.multiplyScalar(this.distance(wide, d)));
    s1.theta = s0.theta + Math.atan2(Math.sin(s1.theta - s0.theta), Math.cos(s1.theta - s0.theta));
    const began = this.stage.now();
    cancelAnimationFrame(this.flight);
    return new Promise((done) => {
      const go = () => {
        const t = this.still() ? 1 : Math.min(1, (this.stage.now() - began) / 420);
        const k = t * t * (3 - 2 * t);
        const s = new Spherical(
          s0.radius * (s1.radius / s0.radius) ** k,
          s0.phi + (s1.phi - s0.phi) * k,
          s0.theta + (s1.theta - s0.theta) * k,
        ).makeSafe();
        this.place(c0.clone().lerp(to, k), new Vector3().setFromSpherical(s).normalize(), s.radius);
        if (t < 1) this.flight = requestAnimationFrame(go);
        else done();
      };
      go();
    });
  }
}
