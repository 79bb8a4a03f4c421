// A frame drawn on the stage with Shift picks parts in the tree; a click tells which spot looks wrong.
import { reactive, ref, type Ref } from 'vue';
import { pick, within, type Frame } from '../stage/picking';
import type { StageContext } from './stageState';

/** Pixels that a pointer may wander while it still clicks. */
const STILL = 4;

export function useFrame(
  { stage, model }: StageContext,
  holder: Ref<HTMLElement | undefined>,
  wanted: {
    framing: () => boolean;
    pointing: () => boolean;
    framed: (nodes: number[], more: boolean) => void;
    pointed: (node: number, face: number) => void;
  },
) {
  const drawing = ref(false);
  const frame = reactive<Frame>({ left: 0, top: 0, right: 0, bottom: 0 });
  let from: [number, number] | null = null;
  const at = (e: PointerEvent): [number, number] => {
    const r = holder.value!.getBoundingClientRect();
    return [e.clientX - r.left, e.clientY - r.top];
  };
  function down(e: PointerEvent) {
    from = e.button === 0 ? at(e) : null;
    if (!from || !e.shiftKey || !wanted.framing()) return;
    drawing.value = true;
    Object.assign(frame, { left: from[0], right: from[0], top: from[1], bottom: from[1] });
    holder.value!.setPointerCapture(e.pointerId);
    e.stopImmediatePropagation();
  }
  function move(e: PointerEvent) {
    if (!drawing.value || !from) return;
    const [x, y] = at(e);
    Object.assign(frame, {
      left: Math.min(from[0], x),
      right: Math.max(from[0], x),
      top: Math.min(from[1], y),
      bottom: Math.max(from[1], y),
    });
    e.stopImmediatePropagation();
  }
  function up(e: PointerEvent) {
    const [s, m] = [stage.value, model.value];
    const [x, y] = at(e);
    const still = from && Math.hypot(x - from[0], y - from[1]) < STILL;
    if (drawing.value && s && m) {
      const one = still ? pick(s, m, x, y) : null;
      wanted.framed(still ? (one ? [one.node] : []) : within(s, m, frame), e.ctrlKey || e.metaKey);
    } else if (still && s && m && (wanted.pointing() || wanted.framing())) {
      const found = pick(s, m, x, y);
      if (found && wanted.pointing()) wanted.pointed(found.node, found.face);
      else if (wanted.framing()) wanted.framed(found ? [found.node] : [], e.ctrlKey || e.metaKey);
    }
    drawing.value = false;
    from = null;
  }
  return { drawing, frame, down, move, up };
}
