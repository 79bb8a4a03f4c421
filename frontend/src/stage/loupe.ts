// Loupe: where the second picture shows through. One signed distance serves the round glass, the dragged split line and
// "spread over everything"; pinned, dragged and keyed differ only in who sets x and y.
import { Vector2, Vector3, Vector4, type WebGLRenderer, type WebGLRenderTarget } from 'three';
import { FullScreen } from './outline';
import type { LookName } from './looks';
import type { Picture } from './picture';
import { TOKENS, vector } from './tokens';

const FRAGMENT = /* glsl */ `
precision highp float; layout(location = 0) out vec4 o;
uniform sampler2D tOutside, tInside; uniform vec4 uOut, uIn;      // uv = pixel * xy + zw
uniform int uShape; uniform vec2 uAt; uniform float uRadius, uMist; uniform vec3 uLine, uPaper;
void main() {
  vec2 p = gl_FragCoord.xy;
  float d = uShape == 1 ? length(p - uAt) - uRadius : uShape == 2 ? p.x - uAt.x : uShape == 3 ? -9. : 9.;
  vec3 c = vec3(0.);
  if (d < .5) c = mix(texture(tInside, p * uIn.xy + uIn.zw).rgb, uPaper, uMist);
  if (d > -.5) c = mix(c, texture(tOutside, p * uOut.xy + uOut.zw).rgb, smoothstep(-.5, .5, d));
  if (uShape == 2) c = mix(uLine, c, smoothstep(.6, 1.4, abs(d)));
  o = vec4(c, 1.);
}`;
const SHAPES = { none: 0, circle: 1, split: 2, all: 3 };

export type LoupeShape = keyof typeof SHAPES;
export const SMALLEST = 100;
export const LARGEST = 210;

type Settable = Pick<Loupe, 'shape' | 'x' | 'y' | 'r' | 'zoom' | 'pinned' | 'swapped' | 'look'>;

export class Loupe {
  shape: LoupeShape = 'none';
  x = 360;
  y = 320;
  r = 130;
  zoom = 1;
  pinned = false;
  swapped = false;
  look: LookName = 'received';
  readonly listeners = new Set<(before: Settable) => void>();

  set(change: Partial<Settable>) {
    const { shape, x, y, r, zoom, pinned, swapped, look } = this;
    Object.assign(this, change);
    for (const f of this.listeners) f({ shape, x, y, r, zoom, pinned, swapped, look });
  }

  /** Whether the glass shows a picture of its own rather than a part of the whole one. */
  get magnifies() {
    return this.shape === 'circle' && this.zoom !== 1;
  }

  /** The part of the stage, in CSS pixels with y down, that the magnified glass shows. */
  window() {
    const s = this.r / this.zoom;
    return { x: this.x - s, y: this.y - s, w: 2 * s, h: 2 * s };
  }

  /** The point of the stage that appears at a place, which the glass may magnify. */
  beneath(x: number, y: number): [number, number] {
    const inside = this.magnifies && Math.hypot(x - this.x, y - this.y) < this.r;
    return inside ? [this.x + (x - this.x) / this.zoom, this.y + (y - this.y) / this.zoom] : [x, y];
  }

  /** Where a point of the stage appears: leaders that end inside the glass must be drawn there. */
  through(x: number, y: number): [number, number] {
    const inside = this.magnifies && Math.hypot(x - this.x, y - this.y) < this.r / this.zoom;
    return inside ? [this.x + (x - this.x) * this.zoom, this.y + (y - this.y) * this.zoom] : [x, y];
  }
}

export class Composite {
  private readonly pass = new FullScreen({
    fragmentShader: FRAGMENT,
    uniforms: {
      tOutside: { value: null },
      tInside: { value: null },
      uOut: { value: new Vector4() },
      uIn: { value: new Vector4() },
      uShape: { value: 0 },
      uAt: { value: new Vector2() },
      uRadius: { value: 0 },
      uMist: { value: 0 },
      uLine: { value: vector(TOKENS.ink) },
      uPaper: { value: new Vector3(0.965, 0.945, 0.906) },
    },
  });

  constructor(private readonly renderer: WebGLRenderer) {}

  /** `enlarge`: how much a whole picture is blown up where it stands in for a magnified one. */
  draw(
    loupe: Loupe,
    outside: Picture,
    inside: Picture | null,
    w: number,
    h: number,
    dpr: number,
    target: WebGLRenderTarget | null,
    enlarge = 1,
  ) {
    const u = this.pass.material.uniforms;
    const [cx, cy, r] = [loupe.x * dpr, h - loupe.y * dpr, loupe.r * dpr];
    u.tOutside!.value = outside.out.texture;
    u.tInside!.value = (inside ?? outside).out.texture;
    u.uOut!.value.set(outside.scale / w, outside.scale / h, 0, 0);
    if (inside?.window) {
      const [kx, ky] = [inside.scale / inside.out.width, inside.scale / inside.out.height];
      u.uIn!.value.set(kx, ky, -(cx - r) * kx, -(cy - r) * ky);
    } else {
      const s = inside?.scale ?? 1;
      const k = s / enlarge;
      u.uIn!.value.set(k / w, k / h, (cx * (s - k)) / w, (cy * (s - k)) / h);
    }
    u.uShape!.value = inside ? SHAPES[loupe.shape] : 0;
    u.uAt!.value.set(cx, cy);
    u.uRadius!.value = r;
    u.uMist!.value = inside && !inside.samples ? 0.8 : 0;
    this.pass.draw(this.renderer, target);
  }
}
