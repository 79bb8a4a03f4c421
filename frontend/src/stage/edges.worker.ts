import { edgesOf } from './edges';

addEventListener(
  'message',
  ({ data }: MessageEvent<{ id: number; index: Uint32Array; faces: Uint32Array; vertex: Uint32Array; polygons: boolean }>) => {
    const made = edgesOf(data.index, data.faces, data.vertex, data.polygons);
    postMessage({ id: data.id, made }, { transfer: [made.buffer] });
  },
);
