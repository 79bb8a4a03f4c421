// Stage: owns the renderer, the camera and the decision what must be drawn again. No component in here.
//
//   as built ──► picture A ┐
//   lens, 1× ──► picture B ├─► composite (loupe) ─► canvas
//   magnified ─► picture C ┘
//
// A picture stays valid until camera, model or look changes; nothing is drawn while nothing moves, and moving the loupe at 1×
// draws no triangle.
import { Box3, Object3D, PerspectiveCamera, Scene, Vector3, WebGLRenderer, WebGLRenderTarget } from 'three';
import { groundOf } from './ground';
import { OutlinePass, JITTER, makeBuffers, type Rect } from './outline';
import { Ladder } from './ladder';
import { lightly } from './light';
import { applyLook, shared, type LookName } from './looks';
import { Composite, LARGEST, Loupe } from './loupe';
import { Picture } from './picture';
import { PLAIN_RECEIVER, type Receiver } from './receiver';
import { release } from './release';
import { Sun } from './sun';
import { asShown, TOKENS } from './tokens';

const SETTLE = 140; // ms without movement before full quality

export interface StageOptions {
  dpr?: number;
  now?: () => number;
  samples?: number;
  size?: [number, number];
}

export class Stage {
  readonly renderer: WebGLRenderer;
  readonly camera = new PerspectiveCamera(22, 1, 0.1, 100);
  readonly scene = new Scene();
  readonly loupe = new Loupe();
  readonly onDraw = new Set<() => void>();
  readonly box = new Box3();
  root: Object3D | null = null;
  /** Another model that shows inside the loupe instead of the same under a lens: with a mend, or an earlier revision. */
  private other: Object3D | null = null;
  private shadowOf: Object3D | null = null;
  /** The destination whose drawing "as received" shows. */
  private receiver: Receiver = PLAIN_RECEIVER;
  private uvSet = 0;
  /** Staff, cubes and whatever else stands beside the model, casting no shadow. */
  readonly extras = new Object3D();
  size = 1;
  w = 1;
  h = 1;
  frames = 0;
  private W = 1;
  private H = 1;
  private readonly ink: OutlinePass;
  private readonly composite: Composite;
  private readonly sun = new Sun();
  private ground: Object3D | null = null;
  private buffers: WebGLRenderTarget | null = null;
  private a: Picture | null = null;
  private b: Picture | null = null;
  private c: Picture | null = null;
  private readonly ladder = new Ladder();
  private lastMove = -1e9;
  private holding = false;
  private scheduled = false;
  private lost = false;
  private timer = 0;
  private readonly dpr: number;
  private readonly maxSamples: number;
  readonly now: () => number;

  constructor(
    readonly canvas: HTMLCanvasElement,
    { dpr = Math.min(2, devicePixelRatio), now = () => performance.now(), samples = 8, size }: StageOptions = {},
  ) {
    this.dpr = dpr;
    this.now = now;
    this.maxSamples = samples;
    this.renderer = new WebGLRenderer({ canvas, antialias: false, alpha: false, powerPreference: 'high-performance' });
    this.renderer.autoClear = false;
    this.ink = new OutlinePass(this.renderer);
    this.composite = new Composite(this.renderer);
    this.scene.add(this.extras);
    Object.assign(shared, this.sun.uniforms);
    this.loupe.listeners.add((before) => this.loupeChanged(before));
    canvas.addEventListener('webglcontextlost', (e) => {
      e.preventDefault();
      this.lost = true;
    });
    canvas.addEventListener('webglcontextrestored', () => {
      this.lost = false;
      this.modelChanged();
    });
    this.resize(...(size ?? [canvas.clientWidth, canvas.clientHeight]));
  }

  resize(w: number, h: number) {
    this.w = Math.max(1, w);
    this.h = Math.max(1, h);
    this.W = Math.round(this.w * this.dpr);
    this.H = Math.round(this.h * this.dpr);
    this.renderer.setPixelRatio(1);
    this.renderer.setSize(this.W, this.H, false);
    this.release();
    const glass = Math.round(2 * LARGEST * this.dpr);
    this.buffers = makeBuffers(Math.max(this.W, glass), Math.max(this.H, glass));
    this.c = new Picture(glass, glass);
    this.a = new Picture(this.W, this.H);
    this.b = new Picture(this.W, this.H);
    this.camera.aspect = this.w / this.h;
    this.invalidate();
  }

  private release() {
    for (const target of [this.buffers, this.a?.out, this.b?.out, this.c?.out]) {
      target?.depthTexture?.dispose();
      target?.dispose();
    }
  }

  dispose() {
    clearTimeout(this.timer);
    release(this.scene);
    this.lost = true;
    this.release();
    this.renderer.dispose();
    this.renderer.forceContextLoss();
  }

  /** Puts a model on the floor, with floor, sun and camera range around it. */
  setModel(root: Object3D, step: number, ground = 0) {
    for (const before of [this.root, this.ground]) if (before) this.takeOut(before);
    this.root = root;
    this.scene.add(root);
    root.updateMatrixWorld(true);
    this.box.setFromObject(root);
    if (this.box.isEmpty()) this.box.set(new Vector3(-0.5, 0, -0.5), new Vector3(0.5, 1, 0.5));
    this.size = Math.max(this.box.getSize(new Vector3()).length(), 1e-6);
    this.ground = groundOf(this.box, step);
    this.ground.position.y = Math.min(ground, this.box.min.y) - this.size * 1e-4;
    this.scene.add(this.ground);
    this.sun.fit(this.box);
    this.modelChanged();
  }

  /** Sets another model into the loupe, null to take it out. Its place is the caller's business. */
  setOther(root: Object3D | null) {
    if (this.other) this.takeOut(this.other);
    this.other = root;
    if (root) {
      this.scene.add(root);
      root.updateMatrixWorld(true);
      root.visible = false;
    }
    this.otherReach = root ? new Box3().setFromObject(root).getSize(new Vector3()).length() : 0;
    this.invalidate();
  }

  private takeOut(object: Object3D) {
    this.scene.remove(object);
    release(object);
  }

  /** Chooses the destination that "as received" stands for. */
  setReceiver(receiver: Receiver) {
    this.receiver = receiver;
    this.invalidate();
  }

  /** Chooses the UV set that the paper of the UV layout lies by. */
  setUvSet(set: number) {
    this.uvSet = set;
    this.invalidate();
  }

  // --- what must be drawn again --------------------------------------------------------------

  invalidate() {
    for (const p of [this.a, this.b, this.c]) p?.forget();
    this.lastMove = this.now();
    this.schedule();
  }

  modelChanged() {
    this.sun.dirty = true;
    this.invalidate();
  }

  hold(on: boolean) {
    this.holding = on;
    this.lastMove = this.now();
    this.schedule();
  }

  private loupeChanged(before: Pick<Loupe, 'look' | 'swapped'>) {
    const l = this.loupe;
    if (before.look !== l.look) {
      this.b?.forget();
      if (l.swapped) this.a?.forget();
    }
    if (before.swapped !== l.swapped) this.invalidate();
    this.c?.forget();
    if (l.magnifies) this.lastMove = this.now();
    this.schedule();
  }

  schedule() {
    if (this.scheduled || this.lost) return;
    this.scheduled = true;
    requestAnimationFrame(() => {
      this.scheduled = false;
      this.frame();
    });
  }

  get moving() {
    return this.holding || this.now() - this.lastMove < SETTLE;
  }

  get busy() {
    return this.scheduled || this.moving || this.pending();
  }

  private get samples() {
    return this.ladder.samples(this.maxSamples);
  }

  /** The picture that shows inside the loupe, null where there is none. */
  private get inside() {
    return this.loupe.shape === 'none' ? null : this.loupe.magnifies ? this.c : this.b;
  }

  /** In motion a round glass gets only the window that it shows, drawn lightly: at rest the whole picture follows. */
  private get hasty() {
    const inside = this.inside;
    return inside && inside === this.b && !inside.samples && this.loupe.shape === 'circle' ? this.c : inside;
  }

  private pending() {
    const inside = this.inside;
    return !!this.root && [this.a, inside].some((p) => p && (p.samples < this.samples || p.scale < 1));
  }

  // --- drawing -------------------------------------------------------------------------------

  private frame() {
    const { a, b, loupe } = this;
    const glass = this.inside;
    if (!this.root || !a || !b || this.lost) return;
    const t = this.now();
    const { step } = this.ladder;
    const outside: LookName = loupe.swapped ? loupe.look : 'built';
    const inside: LookName = loupe.swapped ? 'built' : loupe.look;
    if (this.moving) {
      if (!a.samples) this.draw(a, outside, 0, step.scale);
      const hasty = this.hasty;
      if (hasty && step.lens && !hasty.samples) this.draw(hasty, inside, 0, step.scale, true);
      this.ladder.moved(t);
    } else {
      for (const p of [a, b, this.c]) if (p && p.scale < 1) p.forget(); // replace what was drawn in haste
      if (a.samples < this.samples) this.draw(a, outside, a.samples);
      if (glass && glass.samples < this.samples) this.draw(glass, inside, glass.samples);
      this.ladder.rested();
    }
    this.recompose(null);
    this.frames++;
    for (const f of this.onDraw) f();
    if (this.moving && !this.holding) {
      clearTimeout(this.timer);
      this.timer = window.setTimeout(() => this.schedule(), SETTLE);
    } else if (this.pending() && !this.holding) this.schedule();
  }

  /** The last step alone; also into a target of one's own, which is how tests read pixels. */
  recompose(target: WebGLRenderTarget | null) {
    if (!this.a) return;
    // Until the magnified picture is there, the whole one is blown up in its place.
    const stand = this.loupe.magnifies && !this.c?.samples && !!this.b?.samples;
    this.composite.draw(this.loupe, this.a, stand ? this.b : this.hasty, this.W, this.H, this.dpr, target, stand ? this.loupe.zoom : 1);
  }

  /** One geometry pass of one look, then its ink, as sample k of the running mean. */
  private draw(picture: Picture, look: LookName, k: number, scale = 1, light = scale < 1) {
    const { renderer: r, camera: cam, buffers: b } = this;
    if (!b || !this.root) return;
    const jitter = JITTER[k]!;
    const glass = picture === this.c;
    const side = 2 * this.loupe.r * this.dpr;
    const rect: Rect = { w: Math.round((glass ? side : this.W) * scale), h: Math.round((glass ? side : this.H) * scale) };
    const v = glass ? this.loupe.window() : { x: 0, y: 0, w: this.w, h: this.h };
    cam.setViewOffset(this.w, this.h, v.x + (jitter[0] * v.w) / rect.w, v.y + (jitter[1] * v.h) / rect.h, v.w, v.h);
    this.range();
    cam.updateMatrixWorld();
    const shown = picture !== this.a && this.other ? this.other : this.root;
    this.root.visible = shown === this.root;
    if (this.other) this.other.visible = shown === this.other;
    if (this.shadowOf !== shown) this.sun.dirty = true;
    this.shadowOf = shown;
    if (this.sun.dirty) applyLook(shown, 'built', this.receiver, this.uvSet);
    this.sun.update(r, this.scene, cam, (on) => this.hideProps(on), jitter);
    applyLook(shown, look, this.receiver, this.uvSet);
    shared.uDpr!.value = this.dpr * scale;
    shared.uSample!.value = k;
    b.viewport.set(0, 0, rect.w, rect.h);
    b.scissor.set(0, 0, rect.w, rect.h);
    r.setRenderTarget(b);
    this.clear();
    const whole = light ? lightly(shown) : null;
    r.render(this.scene, cam);
    whole?.();
    this.ink.resolve(b, picture.out, cam, rect, k, Math.max(1, Math.round(1.2 * this.dpr * scale)));
    cam.clearViewOffset();
    picture.samples = k + 1;
    picture.scale = scale;
    picture.window = glass ? v : null;
  }

  /** Takes whatever is not the model out of the scene, or puts it back. */
  hideProps(on: boolean) {
    if (this.ground) this.ground.visible = !on;
    this.extras.visible = !on;
  }

  /** Near and far tight around the model, so that 24 bits of depth and the ink thresholds hold. */
  private range() {
    const d = this.camera.position.distanceTo(this.box.getCenter(new Vector3()));
    const unit = (2 * d * Math.tan((this.camera.fov * Math.PI) / 360)) / this.h; // metres a CSS pixel
    shared.uTile!.value = 2 ** (Math.round(2 * Math.log2(unit * this.loupe.r * 0.46)) / 2); // in steps, so that it does not swim
    const reach = this.reach;
    this.camera.near = Math.max(d - reach * 3, d * 0.02, this.size * 0.002);
    this.camera.far = d + reach * 4;
    this.camera.updateProjectionMatrix();
  }

  /** How far the staff and the cubes reach, so that the camera's range holds them. */
  extraReach = 0;
  /** How large the model is that is laid beside, which may be a hundred times this one. */
  private otherReach = 0;
  /** How far all reaches that is drawn. */
  get reach() {
    return Math.max(this.size, this.extraReach, this.otherReach);
  }

  /** Clears colour to paper and the ink output to zero: one clear colour would leave paper in both. */
  private clear() {
    const gl = this.renderer.getContext() as WebGL2RenderingContext;
    const c = asShown(TOKENS.ground).value;
    this.renderer.state.buffers.depth.setMask(true);
    this.renderer.state.buffers.color.setMask(true);
    gl.clearBufferfv(gl.COLOR, 0, [c.r, c.g, c.b, 1]);
    gl.clearBufferfv(gl.COLOR, 1, [0, 0, 0, 0]);
    gl.clearBufferfv(gl.DEPTH, 0, [1]);
  }
}
