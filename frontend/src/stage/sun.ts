// Sun: one depth picture from the light, drawn only when the model changes. One comparing tap a pixel; the tap is moved a
// little in every still frame, so the running mean of the ink pass makes the shadow's edge soft for nothing.
import {
  Box3,
  Mesh,
  ShaderMaterial,
  type Material,
  type Object3D,
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
import { MOST, type Posing } from './rig';
import { DEPTH_FRAGMENT, DEPTH_VERTEX } from './shaders';

const plainDepth = new MeshBasicMaterial({ colorWrite: false, side: DoubleSide });
const CLIP_TO_TEXTURE = new Matrix4().set(0.5, 0, 0, 0.5, 0, 0.5, 0, 0.5, 0, 0, 0.5, 0.5, 0, 0, 0, 1);

/** Lets everything be drawn as depth alone, what its joints carry where they carry it; returns what puts the looks back. */
function depthAlone(scene: Scene): () => void {
  const posed: Mesh[] = [];
  scene.traverse((o) => {
    if (o instanceof Mesh && (o.userData.posing as Posing | null)?.uniforms.uPosed.value) posed.push(o);
  });
  if (!posed.length) {
    scene.overrideMaterial = plainDepth;
    return () => (scene.overrideMaterial = null);
  }
  const drawn: [Mesh, Material | Material[]][] = [];
  const hidden: Object3D[] = [];
  scene.traverse((o) => {
    if (o instanceof Mesh) {
      drawn.push([o, o.material as Material | Material[]]);
      const posing = o.userData.posing as Posing | null;
      const own = posing && ((o.userData.depth ??= depthOf(posing)) as Material);
      o.material = Array.isArray(o.material) ? o.material.map(() => own ?? plainDepth) : (own ?? plainDepth);
    } else if ((o as { isLine?: boolean; isPoints?: boolean }).isLine || (o as { isPoints?: boolean }).isPoints) {
      if (o.visible) hidden.push(o);
    }
  });
  for (const o of hidden) o.visible = false;
  return () => {
    for (const [mesh, material] of drawn) mesh.material = material;
    for (const o of hidden) o.visible = true;
  };
}

const depthOf = (posing: Posing) =>
  new ShaderMaterial({
    defines: { POSED: '' },
    colorWrite: false,
    side: DoubleSide,
    vertexShader: DEPTH_VERTEX,
    fragmentShader: DEPTH_FRAGMENT,
    uniforms: { ...posing.uniforms, uMost: { value: MOST }, uNodeToo: { value: 0 } },
  });

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
      const back = depthAlone(scene);
      renderer.setRenderTarget(this.target);
      renderer.clear();
      renderer.render(scene, this.camera);
      back();
      hide(false);
      this.dirty = false;
    }
    this.uniforms.uSun.value.copy(this.world).transformDirection(camera.matrixWorldInverse);
    this.uniforms.uUp.value.set(0, 1, 0).transformDirection(camera.matrixWorldInverse);
    this.uniforms.uSunOffset.value.set((jitter[0] * 9) / this.size, (jitter[1] * 9) / this.size, this.normalOffset);
  }
}
