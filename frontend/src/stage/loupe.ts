// Loupe: where the second picture shows through. One signed distance serves the round glass and "spread over everything".
import { Vector2, Vector3, type WebGLRenderer, type WebGLRenderTarget } from 'three';
import { FullScreen } from './ink';
import type { LookName } from './looks';
import type { Picture } from './stage';

const FRAGMENT = /* glsl */ `
precision highp float; layout(location = 0) out vec4 o;
uniform sampler2D tOutside, tInside; uniform vec2 uOut, uIn;
uniform int uShape; uniform vec2 uAt; uniform float uRadius, uMist; uniform vec3 uPaper;
void main() {
  vec2 p = gl_FragCoord.xy;
  float d = uShape == 1 ? length(p - uAt) - uRadius : uShape == 2 ? -9. : 9.;
  vec3 c = vec3(0.);
  if (d < .5) c = mix(texture(tInside, p * uIn).rgb, uPaper, uMist);
  if (d > -.5) c = mix(c, texture(tOutside, p * uOut).rgb, smoothstep(-.5, .5, d));
  o = vec4(c, 1.);
}`;
const SHAPES = { none: 0, circle: 1, all: 2 };

export type LoupeShape = keyof typeof SHAPES;

export class Loupe {
  shape: LoupeShape = 'none';
  x = 360;
  y = 320;
  r = 130;
  pinned = false;
  swapped = false;
  look: LookName = 'received';
  readonly listeners = new Set<() => void>();

  set(change: Partial<Pick<Loupe, 'shape' | 'x' | 'y' | 'r' | 'pinned' | 'swapped' | 'look'>>) {
    Object.assign(this, change);
    for (const f of this.listeners) f();
  }

  /** Follows the pointer unless pinned. */
  pointer(x: number, y: number) {
    if (!this.pinned && this.shape === 'circle') this.set({ x, y });
  }
}

export class Composite {
  private readonly pass = new FullScreen({
    fragmentShader: FRAGMENT,
    uniforms: {
      tOutside: { value: null }, tInside: { value: null }, uOut: { value: new Vector2() }, uIn: { value: new Vector2() }, uShape: { value: 0 },
      uAt: { value: new Vector2() }, uRadius: { value: 0 }, uMist: { value: 0 }, uPaper: { value: new Vector3(0.965, 0.945, 0.906) },
    },
  });

  constructor(private readonly renderer: WebGLRenderer) {}

  draw(loupe: Loupe, outside: Picture, inside: Picture | null, w: number, h: number, dpr: number, target: WebGLRenderTarget | null) {
    const u = this.pass.material.uniforms;
    u.tOutside!.value = outside.out.texture;
    u.tInside!.value = (inside ?? outside).out.texture;
    u.uOut!.value.set(outside.scale / w, outside.scale / h);
    u.uIn!.value.set((inside?.scale ?? 1) / w, (inside?.scale ?? 1) / h);
    u.uShape!.value = inside ? SHAPES[loupe.shape] : 0;
    u.uAt!.value.set(loupe.x * dpr, h - loupe.y * dpr);
    u.uRadius!.value = loupe.r * dpr;
    u.uMist!.value = inside && !inside.samples ? 0.8 : 0;
    this.pass.draw(this.renderer, target);
  }
}
