<script setup lang="ts">
import type { useStage } from './useStage';

const props = defineProps<{ context: ReturnType<typeof useStage> }>();
const state = props.context.state;
const m = props.context.motion;
let from: { x: number; y: number; at: { x: number; y: number } } | null = null;

function down(e: PointerEvent, j: (typeof state.joints)[number]) {
  state.joint = j.node;
  from = { x: e.offsetX, y: e.offsetY, at: { x: j.x, y: j.y } };
  (e.currentTarget as Element).setPointerCapture(e.pointerId);
  e.stopPropagation();
  e.preventDefault();
}
/** A drag round the joint turns it about the line of sight; with Shift it is moved across it. */
function move(e: PointerEvent) {
  if (!from) return;
  const box = (e.currentTarget as Element).closest('svg')!.getBoundingClientRect();
  const [x, y] = [e.clientX - box.left, e.clientY - box.top];
  if (e.shiftKey) m.drag(0, [x - from.x, y - from.y]);
  else m.drag((x - from.x + (y - from.y)) * -0.012, [0, 0]);
  from = { ...from, x, y };
}
function key(e: KeyboardEvent, node: number) {
  const turn = { ArrowLeft: 1, ArrowUp: 1, ArrowRight: -1, ArrowDown: -1 }[e.key];
  if (!turn) return;
  state.joint = node;
  m.drag((turn * 5 * Math.PI) / 180, [0, 0]);
  e.preventDefault();
  e.stopPropagation();
}
</script>

<template>
  <svg class="joints" role="group" aria-label="Joints">
    <path
      v-for="j in state.joints.filter((x) => x.above)"
      :key="`bone ${j.node}`"
      :d="`M${j.above!.x} ${j.above!.y}L${j.x} ${j.y}`"
      :class="{ chosen: j.node === state.joint }"
    />
    <circle
      v-for="j in state.joints"
      :key="j.node"
      :cx="j.x"
      :cy="j.y"
      :r="j.node === state.joint ? 7 : 4.5"
      :class="{ chosen: j.node === state.joint }"
      tabindex="0"
      role="button"
      :aria-pressed="j.node === state.joint"
      :aria-label="`${j.name}: arrows turn it`"
      @pointerdown="down($event, j)"
      @pointermove="move"
      @pointerup="from = null"
      @click.stop="state.joint = j.node"
      @focus="state.joint = j.node"
      @keydown="key($event, j.node)"
    >
      <title>{{ j.name }}</title>
    </circle>
  </svg>
</template>

<style scoped>
.joints {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
  pointer-events: none;
}
path {
  stroke: var(--hl-ink);
  stroke-width: 1.2;
  stroke-dasharray: 4 3;
  fill: none;
}
path.chosen {
  stroke: var(--hl-verdigris);
  stroke-width: 2;
  stroke-dasharray: none;
}
circle {
  pointer-events: auto;
  cursor: grab;
  fill: var(--hl-sheet);
  stroke: var(--hl-ink);
  stroke-width: 1.4;
}
circle.chosen {
  stroke: var(--hl-verdigris);
  stroke-width: 3;
}
circle:focus-visible {
  outline: 2px solid var(--hl-verdigris);
  outline-offset: 2px;
}
</style>
