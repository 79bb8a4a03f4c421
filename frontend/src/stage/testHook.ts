// For browser tests only, behind ?test: a fixed clock, awaiting quiet, reading pixels. No preserveDrawingBuffer is needed,
// because the composite can be drawn again into a target of ours at any time.
import { WebGLRenderTarget } from 'three';
import type { Stage } from './stage';

let time = 0;
export const testing = () => new URLSearchParams(location.search).has('test');
export const testClock = () => time;

export function attachTestHook(stage: Stage, { busy, ...more }: Record<string, unknown> & { busy: () => boolean }) {
  const shot = () => {
    const { width: w, height: h } = stage.canvas;
    const t = new WebGLRenderTarget(w, h, { depthBuffer: false });
    stage.recompose(t);
    const px = new Uint8Array(w * h * 4);
    stage.renderer.readRenderTargetPixels(t, 0, 0, w, h, px);
    stage.renderer.setRenderTarget(null);
    t.dispose();
    return px;
  };
  Object.assign(window, {
    stageTest: {
      stage,
      ...more,
      /** Lets time pass in steps until every sample is drawn. */
      async settle(limit = 200) {
        do {
          time += 200;
          stage.schedule();
          await new Promise((r) => requestAnimationFrame(r));
        } while ((stage.busy || busy()) && limit-- > 0);
      },
      /** A number that changes when any pixel does. */
      hash() {
        let h = 2166136261;
        for (const b of shot()) h = Math.imul(h ^ b, 16777619);
        return h >>> 0;
      },
      /** The whole picture, RGBA, lower row first. */
      shot,
      /** How many pixels differ from paper and from the mat on it: something is drawn. */
      inked() {
        const px = shot();
        let n = 0;
        for (let i = 0; i < px.length; i += 4)
          if (Math.abs(px[i]! - 0xf6) + Math.abs(px[i + 1]! - 0xf1) + Math.abs(px[i + 2]! - 0xe7) > 140) n++;
        return n;
      },
      state: () => ({ frames: stage.frames, camera: stage.camera.position.toArray(), busy: stage.busy }),
    },
  });
}
