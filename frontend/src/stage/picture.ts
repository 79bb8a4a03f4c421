// A kept picture: one look of the whole stage or of the window that the glass shows, and how far its running mean has come.
import { UnsignedByteType, WebGLRenderTarget } from 'three';

export interface Window2D {
  x: number;
  y: number;
  w: number;
  h: number;
}

export class Picture {
  readonly out: WebGLRenderTarget;
  samples = 0;
  scale = 1;
  /** The part of the stage that the picture holds; null for the whole. */
  window: Window2D | null = null;

  constructor(w: number, h: number) {
    this.out = new WebGLRenderTarget(w, h, { depthBuffer: false, type: UnsignedByteType });
  }

  forget() {
    this.samples = 0;
    this.scale = 1;
  }
}
