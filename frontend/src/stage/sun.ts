// Sun: one depth picture from the light, drawn only when the model changes. One comparing tap a pixel; the tap is moved a
// little in every still frame, so the running mean of the ink pass makes the shadow's edge soft for nothing.
import {
  Box3,
  DepthTexture,
  DoubleSide,
  LessEqualCompare,
  LinearFilter,
  Matrix4,
  MeshBasicMaterial,
  OrthographicCamera,
  PerspectiveCamera,
  Scene,
  UnsignedIntType,
  Vector3,
  WebGLRenderer,
  WebGLRenderTarget,
} from 'three';

const plainDepth = new MeshBasicMaterial({ colorWrite: false, side: DoubleSide });
const CLIP_TO_TEXTURE = new Matrix4().set(0.5, 0, 0, 0.5, 0, 0.5, 0, 0.5, 0, 0, 0.5, 0.5, 0, 0, 0, 1);

export class Sun {
  dirty = true;
  private readonly camera = new OrthographicCamera();
  private readonly target: WebGLRenderTarget;
  private readonly world = new Vector3(1, 1.65, 1.3).normalize();
  private normalOffset = 0;
  /** Uniforms that all materials share; directions are in view space and set once a frame. */
  readonly uniforms;

  constructor(private readonly size = 1024) {
    const depth = new DepthTexture(size, size, UnsignedIntType);
    depth.compareFunction = LessEqualCompare;
    depth.minFilter = depth.magFilter = LinearFilter;
    this.target = new WebGLRenderTarget(size, size, { depthTexture: depth });
    this.uniforms = {
      uSun: { value: new Vector3() },
      uUp: { value: new Vector3() },
      uSunMap: { value: depth },
      uSunMatrix: { value: new Matrix4() },
      uSunOffset: { value: new Vector3() },
    };
  }

  fit(box: Box3) {
    const c = box.getCenter(new Vector3());
    const r = Math.max(1e-9, (box.getSize(new Vector3()).length() / 2) * 1.05);
    const k = this.camera;
    k.position.copy(c).addScaledVector(this.world, r * 3);
    k.lookAt(c);
    k.left = k.bottom = -r;
    k.right = k.top = r;
    k.near = r * 1.5;
    k.far = r * 7;
    k.updateProjectionMatrix();
    k.updateMatrixWorld();
    this.uniforms.uSunMatrix.value.copy(CLIP_TO_TEXTURE).multiply(k.projectionMatrix).multiply(k.matrixWorldInverse);
    this.normalOffset = r * 0.006;
    this.dirty = true;
  }

  /** `hide` takes whatever casts no shadow out of the scene and puts it back; `jitter` softens the edge. */
  update(renderer: WebGLRenderer, scene: Scene, camera: PerspectiveCamera, hide: (on: boolean) => void, jitter: readonly [number, number]) {
    if (this.dirty) {
      hide(true);
      scene.overrideMaterial = plainDepth;
      renderer.setRenderTarget(this.target);
      renderer.clear();
      renderer.render(scene, this.camera);
      scene.overrideMaterial = null;
      hide(false);
      this.dirty = false;
    }
    this.uniforms.uSun.value.copy(this.world).transformDirection(camera.matrixWorldInverse);
    this.uniforms.uUp.value.set(0, 1, 0).transformDirection(camera.matrixWorldInverse);
    this.uniforms.uSunOffset.value.set((jitter[0] * 9) / this.size, (jitter[1] * 9) / this.size, this.normalOffset);
  }
}
