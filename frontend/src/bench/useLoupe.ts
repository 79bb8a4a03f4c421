// The loupe as the page has it, handed to the stage: where it lies, how it looks, what is laid over the model for its lens.
import { Box3, Vector3 } from 'three';
import { watch } from 'vue';
import { jointsOf, showWeightsOf } from '../stage/joints';
import type { LookName } from '../stage/looks';
import { LARGEST, SMALLEST } from '../stage/loupe';
import { ensureOverlay } from '../stage/overlays';
import type { StageContext } from './stageState';

const MOST_NAMES = 40;

export function useLoupe({ stage, model, state, lost }: StageContext) {
  let named: { name: string; at: Vector3 }[] = [];

  function setLoupe(change: Partial<Pick<typeof state, 'look' | 'shape' | 'zoom' | 'swapped' | 'x' | 'y' | 'r' | 'pinned'>>) {
    Object.assign(state, change);
    state.r = Math.min(LARGEST, Math.max(SMALLEST, state.r));
    state.zoom = Math.min(3, Math.max(1, state.zoom));
    const s = stage.value;
    if (!s) return;
    if (change.look) void prepare(change.look);
    const { x, y, r, zoom, pinned, swapped } = state;
    s.loupe.set({ shape: state.look ? state.shape : 'none', x, y, r, zoom, pinned, swapped, ...(state.look ? { look: state.look } : {}) });
  }

  /** Makes what a lens needs; edges of large models take a moment, and come in when they are there. */
  async function prepare(look: LookName) {
    const [s, m] = [stage.value, model.value];
    if (!s || !m) return;
    if (look === 'names') nameParts();
    state.making = true;
    try {
      await ensureOverlay(m, look, s.size);
    } catch (e) {
      lost.value = (e as Error).message;
    }
    state.making = false;
    if (model.value === m && state.look === look) s.invalidate();
  }

  const choose = (look: LookName | null) => setLoupe({ look });
  function moveLoupe(x: number, y: number) {
    if (state.look && !state.pinned && state.shape !== 'all') setLoupe({ x, y });
  }
  const nudgeLoupe = (change: { x?: number; y?: number; r?: number; zoom?: number }) =>
    setLoupe({
      x: state.x + (change.x ?? 0),
      y: state.y + (change.y ?? 0),
      r: state.r + (change.r ?? 0),
      zoom: state.zoom + (change.zoom ?? 0),
    });

  /** The largest parts with their middles, for the names lens. */
  function nameParts() {
    const m = model.value!;
    const boxes = [...m.parts].map(([node, mesh]) => ({ name: m.names.get(node) ?? '', box: new Box3().setFromObject(mesh) }));
    const size = (b: Box3) => b.getSize(new Vector3()).length();
    named = boxes
      .sort((a, b) => size(b.box) - size(a.box))
      .slice(0, MOST_NAMES)
      .map(({ name, box }) => ({ name, at: box.getCenter(new Vector3()) }));
  }

  /** Where the names stand in the picture just drawn. */
  function placeNames() {
    const s = stage.value!;
    const seen =
      state.look === 'names' ? named.map((n) => ({ name: n.name, p: n.at.clone().project(s.camera) })).filter((n) => n.p.z < 1) : [];
    state.labels = seen.map(({ name, p }) => ({ name, x: (p.x * 0.5 + 0.5) * s.w, y: (-p.y * 0.5 + 0.5) * s.h }));
  }

  watch([() => state.joint, model], () => {
    if (!model.value) return;
    if (state.joint !== null && !jointsOf(model.value).some((j) => j.node === state.joint)) return void (state.joint = null);
    showWeightsOf(model.value, state.joint);
    stage.value?.invalidate();
  });
  return { setLoupe, choose, moveLoupe, nudgeLoupe, placeNames };
}
