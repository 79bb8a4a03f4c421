// The UV layout, drawn flat by the stage's own renderer from the geometry that is there already: edges of the charts, the
// marked faces, and the 0 to 1 square. The result is a small picture for the panel's canvas.
import {
  BufferAttribute,
  BufferGeometry,
  Camera,
  CustomBlending,
  DoubleSide,
  LineSegments,
  type Material,
  Mesh,
  NearestFilter,
  OneFactor,
  OneMinusSrcAlphaFactor,
  Scene,
  ShaderMaterial,
  Vector4,
  WebGLRenderTarget,
  type WebGLRenderer,
} from 'three';
import { uvName } from './displayCopy';
import { asShown, TOKENS } from './tokens';

/** The part of UV space that the panel shows: its middle, and how much of it lies across the panel. v runs down, as rows of a picture do. */
export interface UvView {
  u: number;
  v: number;
  across: number;
}

const VERTEX = 'uniform vec4 uView; void main() { vec2 p = (uv - uView.xy) * uView.zw; gl_Position = vec4(p.x, -p.y, 0., 1.); }';
const blend = {
  transparent: true,
  depthTest: false,
  depthWrite: false,
  side: DoubleSide,
  blending: CustomBlending,
  blendSrc: OneFactor,
  blendDst: OneMinusSrcAlphaFactor,
} as const;

function flat(hex: string, opacity: number, hatched = false) {
  return new ShaderMaterial({
    ...blend,
    vertexShader: VERTEX,
    uniforms: { uView: { value: new Vector4() }, uColour: asShown(hex) },
    fragmentShader: `uniform vec3 uColour; void main() { float a = ${opacity.toFixed(2)}; ${hatched ? 'a *= step(mod(gl_FragCoord.x - gl_FragCoord.y, 6.), 2.5) * .6 + .4;' : ''} gl_FragColor = vec4(uColour * a, a); }`,
  });
}

export class UvSheet {
  private readonly scene = new Scene();
  private readonly camera = new Camera();
  private target = new WebGLRenderTarget(1, 1, { depthBuffer: false, minFilter: NearestFilter, magFilter: NearestFilter });

  constructor(private readonly renderer: WebGLRenderer) {}

  /** Draws some edges and marked triangles; returns RGBA rows, the upper row first, with straight alpha. */
  draw(edges: BufferGeometry, marked: { geometry: BufferGeometry; hex: string }[], view: UvView, w: number, h: number): ImageData {
    this.target.setSize(w, h);
    const materials: Material[] = [];
    const add = (o: Mesh | LineSegments, order: number) => {
      const m = o.material as ShaderMaterial;
      m.uniforms.uView!.value.set(view.u, view.v, 2 / view.across, (2 / view.across) * (w / h));
      materials.push(m);
      o.frustumCulled = false;
      o.renderOrder = order;
      this.scene.add(o);
    };
    add(new LineSegments(edges, flat(TOKENS.ink, 0.55)), 1);
    marked.forEach((m) => add(new Mesh(m.geometry, flat(m.hex, 0.75, true)), 2));
    add(new LineSegments(SQUARE, flat('#2B756F', 0.9)), 3);
    const [colour, alpha] = [this.renderer.getClearColor(asShown('#000').value.clone()), this.renderer.getClearAlpha()];
    this.renderer.setRenderTarget(this.target);
    this.renderer.setClearColor(0, 0);
    this.renderer.clear();
    this.renderer.render(this.scene, this.camera);
    this.renderer.setClearColor(colour, alpha);
    const px = new Uint8Array(w * h * 4);
    this.renderer.readRenderTargetPixels(this.target, 0, 0, w, h, px);
    this.renderer.setRenderTarget(null);
    this.scene.clear();
    materials.forEach((m) => m.dispose());
    return upright(px, w, h);
  }

  dispose() {
    this.target.dispose();
  }
}

/** Turns the rows over and divides colour by alpha. */
function upright(px: Uint8Array, w: number, h: number) {
  const out = new ImageData(w, h);
  for (let y = 0; y < h; y++) {
    for (let x = 0; x < w; x++) {
      const [from, to] = [((h - 1 - y) * w + x) * 4, (y * w + x) * 4];
      const a = px[from + 3]!;
      for (let k = 0; k < 3; k++) out.data[to + k] = a ? Math.min(255, (px[from + k]! * 255) / a) : 0;
      out.data[to + 3] = a;
    }
  }
  return out;
}

const SQUARE = new BufferGeometry()
  .setAttribute('position', new BufferAttribute(new Float32Array(12), 3))
  .setAttribute('uv', new BufferAttribute(Float32Array.of(0, 0, 1, 0, 1, 1, 0, 1), 2))
  .setIndex([0, 1, 1, 2, 2, 3, 3, 0]);

/** The box of a part's UVs, the 0 to 1 square taken in; numbers that are none are left out. */
export function uvBounds(g: BufferGeometry, set: number) {
  const uv = g.attributes[uvName(set)]?.array ?? [];
  const box = { low: [0, 0], high: [1, 1] };
  for (let i = 0; i < uv.length; i++) {
    const value = uv[i]!;
    if (!Number.isFinite(value)) continue;
    if (value < box.low[i % 2]!) box.low[i % 2] = value;
    if (value > box.high[i % 2]!) box.high[i % 2] = value;
  }
  return box;
}

/** The triangle at a place of UV space, -1 where there is none; of several the last drawn. */
export function triangleAt(g: BufferGeometry, set: number, u: number, v: number): number {
  const uv = g.attributes[uvName(set)]?.array;
  const index = g.index!.array;
  if (!uv) return -1;
  const side = (a: number, b: number) =>
    (uv[2 * b]! - uv[2 * a]!) * (v - uv[2 * a + 1]!) - (uv[2 * b + 1]! - uv[2 * a + 1]!) * (u - uv[2 * a]!);
  for (let t = index.length / 3 - 1; t >= 0; t--) {
    const [a, b, c] = [index[3 * t]!, index[3 * t + 1]!, index[3 * t + 2]!];
    const [p, q, r] = [side(a, b), side(b, c), side(c, a)];
    if ((p >= 0 && q >= 0 && r >= 0) || (p <= 0 && q <= 0 && r <= 0)) return t;
  }
  return -1;
}
