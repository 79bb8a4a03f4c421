// Outlines: silhouettes from part number and depth in one screen pass, and the running mean of jittered frames at rest,
// which smooths lines, hatches and silhouettes alike without multisampling.
import {
  BufferGeometry,
  Camera,
  CustomBlending,
  ConstantAlphaFactor,
  DepthTexture,
  Float32BufferAttribute,
  GLSL3,
  Mesh,
  NearestFilter,
  OneFactor,
  OneMinusConstantAlphaFactor,
  PerspectiveCamera,
  Scene,
  ShaderMaterial,
  UnsignedIntType,
  Vector2,
  WebGLRenderer,
  WebGLRenderTarget,
  ZeroFactor,
  type ShaderMaterialParameters,
} from 'three';

const FRAGMENT = /* glsl */ `
precision highp float; precision highp int;
layout(location = 0) out vec4 o;
uniform sampler2D tColour, tInk; uniform highp sampler2D tDepth;
uniform vec2 uNearFar; uniform ivec2 uLast; uniform int uStep;
float depthAt(ivec2 p) {
  float d = texelFetch(tDepth, p, 0).x * 2. - 1.;
  return 2. * uNearFar.x * uNearFar.y / (uNearFar.y + uNearFar.x - d * (uNearFar.y - uNearFar.x));
}
void main() {
  ivec2 p = ivec2(gl_FragCoord.xy);
  vec3 c = texelFetch(tColour, p, 0).rgb;
  vec4 k = texelFetch(tInk, p, 0);
  if (k.z > 0.) {                                                    // paper and cut-outs carry no ink
    ivec2 l = max(p - ivec2(uStep, 0), ivec2(0)), r = min(p + ivec2(uStep, 0), uLast);
    ivec2 d = max(p - ivec2(0, uStep), ivec2(0)), u = min(p + ivec2(0, uStep), uLast);
    vec4 kl = texelFetch(tInk, l, 0), kr = texelFetch(tInk, r, 0), kd = texelFetch(tInk, d, 0), ku = texelFetch(tInk, u, 0);
    float z = depthAt(p), zl = depthAt(l), zr = depthAt(r), zd = depthAt(d), zu = depthAt(u);
    // Only the nearer side is inked, so a line is one step wide. Second difference: slopes cancel.
    float jump = smoothstep(.0025, .008, max(zl + zr - 2. * z, zd + zu - 2. * z) / z);
    vec4 other = step(.0015, abs(vec4(kl.z, kr.z, kd.z, ku.z) - k.z)) * step(vec4(z), vec4(zl, zr, zd, zu) + z * 1e-5);
    float edge = max(max(other.x, other.y), max(other.z, other.w));
    // The outline is the surface's own shade, darker and warmer.
    c = mix(c, c * vec3(.5, .42, .36), max(jump * .92, edge));
  }
  o = vec4(c, 1.);
}`;

/** Sub-pixel offsets, low discrepancy; the first is the centre, so that one sample alone is honest. */
export const JITTER = [
  [0, 0],
  [0.25, -0.375],
  [-0.375, -0.125],
  [0.125, 0.375],
  [-0.25, 0.25],
  [0.375, 0.125],
  [-0.125, -0.25],
  [-0.45, 0.45],
] as const;

export interface Rect {
  w: number;
  h: number;
  x?: number;
  y?: number;
  sw?: number;
  sh?: number;
}

/** A pass over the whole picture: one triangle that covers everything. */
export class FullScreen {
  readonly material: ShaderMaterial;
  private readonly scene = new Scene();
  private readonly camera = new Camera();

  constructor(parameters: ShaderMaterialParameters) {
    const g = new BufferGeometry().setAttribute('position', new Float32BufferAttribute([-1, -1, 0, 3, -1, 0, -1, 3, 0], 3));
    this.material = new ShaderMaterial({
      glslVersion: GLSL3,
      vertexShader: 'void main() { gl_Position = vec4(position.xy, 0., 1.); }',
      depthTest: false,
      depthWrite: false,
      ...parameters,
    });
    const mesh = new Mesh(g, this.material);
    mesh.frustumCulled = false;
    this.scene.add(mesh);
  }

  draw(renderer: WebGLRenderer, target: WebGLRenderTarget | null) {
    renderer.setRenderTarget(target);
    renderer.render(this.scene, this.camera);
  }
}

export class OutlinePass {
  private readonly pass = new FullScreen({
    fragmentShader: FRAGMENT,
    uniforms: {
      tColour: { value: null },
      tInk: { value: null },
      tDepth: { value: null },
      uNearFar: { value: new Vector2() },
      uLast: { value: new Vector2() },
      uStep: { value: 1 },
    },
    // Running mean: new / (k + 1) + old · k / (k + 1).
    blending: CustomBlending,
    blendSrc: ConstantAlphaFactor,
    blendDst: OneMinusConstantAlphaFactor,
    blendSrcAlpha: OneFactor,
    blendDstAlpha: ZeroFactor,
  });

  constructor(private readonly renderer: WebGLRenderer) {}

  /** Draws the inked picture of `buffers` into `target` as sample `k` of the running mean. The rectangle is in pixels. */
  resolve(buffers: WebGLRenderTarget, target: WebGLRenderTarget, camera: PerspectiveCamera, rect: Rect, k: number, step: number) {
    const u = this.pass.material.uniforms;
    u.tColour!.value = buffers.textures[0];
    u.tInk!.value = buffers.textures[1];
    u.tDepth!.value = buffers.depthTexture;
    u.uNearFar!.value.set(camera.near, camera.far);
    u.uLast!.value.set(rect.w - 1, rect.h - 1);
    u.uStep!.value = step;
    this.pass.material.blendAlpha = 1 / (k + 1);
    target.viewport.set(0, 0, rect.w, rect.h);
    target.scissor.set(rect.x ?? 0, rect.y ?? 0, rect.sw ?? rect.w, rect.sh ?? rect.h);
    target.scissorTest = true;
    this.pass.draw(this.renderer, target);
  }
}

/** Colour, ink and depth, written in one geometry pass and shared by all pictures: only the inked result is kept. */
export function makeBuffers(w: number, h: number) {
  const t = new WebGLRenderTarget(w, h, { count: 2, minFilter: NearestFilter, magFilter: NearestFilter });
  t.depthTexture = new DepthTexture(w, h, UnsignedIntType);
  t.scissorTest = true;
  return t;
}
