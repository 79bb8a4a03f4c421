<script setup lang="ts">
import { computed, onBeforeUnmount, onMounted, ref, watch } from 'vue';
import { useCommands } from '../app/commands';
import { useKeys } from '../app/keys';
import { LENSES } from '../stations/registry';
import ResultMark from '../ui/ResultMark.vue';
import JointHandles from './JointHandles.vue';
import LensRack from './LensRack.vue';
import LoupeRing from './LoupeRing.vue';
import MotionBar from './MotionBar.vue';
import PickBar from './PickBar.vue';
import PullTest from './PullTest.vue';
import StageCaption from './StageCaption.vue';
import SideWalk from './SideWalk.vue';
import UvPanel from './UvPanel.vue';
import { useBench } from './useBench';
import { MEASURES } from '../stage/beside';
import { PLAIN_RECEIVER } from '../stage/receiver';
import { withBelow } from './pieces/ways';
import { useFrame } from './useFrame';
import { usePicking } from './usePicking';
import { useStage } from './useStage';
import { length } from './words';

const bench = useBench('reading', 'selection', 'choices', 'changes', 'tape', 'marks', 'ways', 'picks');
const NONE: ReadonlySet<number> = new Set();
const canvas = ref<HTMLCanvasElement>();
const holder = ref<HTMLElement>();
const coarse = computed(() => bench.bench.value?.picture?.coarse ?? false);
const stage = useStage(canvas, holder, {
  inspection: () => bench.bench.value?.reading?.inspection ?? null,
  picture: () => bench.bench.value?.picture ?? null,
  // On a coarse first picture nothing can be marked: its faces are none of the model's.
  finding: () => (coarse.value ? null : bench.finding.value),
  spot: () => (coarse.value ? null : bench.spot.value),
  part: () => bench.part.value,
  other: () => bench.trial.other.value,
  receiver: () => {
    const sheet = bench.receiverSheet.value;
    return sheet ? { ...sheet.receiver, influences: sheet.limits.influences_vertex ?? null } : PLAIN_RECEIVER;
  },
  picked: () => (bench.way.value === 'tree' && bench.picked.value.size ? withBelow(bench.nodes.value, bench.picked.value) : NONE),
  unseen: () => bench.unseen.value,
  rest: () => bench.rest.value,
});
const framing = useFrame(stage, holder, {
  framing: () => bench.way.value === 'tree',
  pointing: () => bench.way.value === 'look',
  framed: (nodes, more) => (bench.picked.value = new Set([...(more ? bench.picked.value : []), ...nodes])),
  pointed: (node, face) => (bench.pointedAt.value = { node, face }),
});
const pointing = usePicking(stage, holder, bench, (words) => bench.complain(new Error(words)));
const down = (e: PointerEvent) => pointing.down(e) || framing.down(e);
const drag = (e: PointerEvent) => pointing.move(e) || framing.move(e);
const { state, viewer, marked, choose, setLoupe, moveLoupe, nudgeLoupe, step, fit, walk } = stage;
watch(marked, (m) => (bench.marked.value = m));
// Faces are pointed at where they rest.
watch(bench.picking, (on) => on && state.posed && stage.motion.rest(true));
watch(stage.model, (m) => (bench.drawn.value = m));
// The stations that are about them open them.
watch(
  [bench.station, () => state.clips.length, () => state.hasJoints],
  ([slug, clips, joints]) => {
    if (slug === 'motion' && clips) state.motion = true;
    if (slug === 'skin' && joints) state.pulling = true;
  },
  { immediate: true },
);
// A joint that is chosen in the table is the one that is pulled, and the part that stays in view is the whole.
watch(bench.part, (node) => {
  if (node !== null && state.hasJoints && stage.model.value?.rig?.joints.some((j) => j.node === node)) state.joint = node;
});
watch(
  () => state.pulling && state.joint,
  (node) => typeof node === 'number' && !state.look && choose('weights'),
);
/** What stands beside the model now. */
const standing = computed(() => MEASURES.find((m) => m.key === (state.measure === 'suited' ? state.suited : state.measure)));
const SIDES = ['front', 'left', 'back', 'right', 'top'] as const;
const letter = computed(() => (bench.finding.value ? bench.letterOf(bench.finding.value) : ''));
/** The finding that two blended parts are drawn in the wrong order, while it is marked. */
const ordered = computed(() => {
  const [f, m] = [bench.finding.value, marked.value];
  const inspection = bench.bench.value?.reading?.inspection;
  if (!inspection || state.look === 'layout') return null;
  if (f?.check === 'see-through.draw-order' && m?.kind === 'nodes') return { inspection, finding: f, node: null };
  // A part that is looked at in See-through has its plan too, where another lies in its way.
  return bench.station.value === 'see-through' && !f && bench.part.value !== null
    ? { inspection, finding: null, node: bench.part.value }
    : null;
});
const HEX: Record<string, string> = { stop: '#9E3136', caution: '#A86A12', note: '#4A6480' };
const label = computed(() => {
  const l = state.leader;
  const w = holder.value?.clientWidth ?? 700;
  return l ? { x: Math.min(w - 40, Math.max(40, l.x + (l.x > w / 2 ? 90 : -90))), y: Math.max(110, l.y - 80) } : null;
});
function pointer(e: PointerEvent) {
  const r = holder.value!.getBoundingClientRect();
  if (!e.buttons) moveLoupe(e.clientX - r.left, e.clientY - r.top);
}
/** Shift and the wheel make the glass larger or smaller; the wheel alone comes nearer. */
function wheel(e: WheelEvent) {
  if (!e.shiftKey || !state.look || state.shape !== 'circle') return;
  e.preventDefault();
  e.stopPropagation();
  nudgeLoupe({ r: (e.deltaY || e.deltaX) > 0 ? -10 : 10 });
}
function key(e: KeyboardEvent) {
  const v = viewer.value;
  if (!v) return;
  if (pointing.key(e)) {
    e.preventDefault();
    e.stopPropagation();
    return;
  }
  const step = e.shiftKey ? 32 : 8;
  const arrows: Record<string, [number, number]> = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };
  const a = arrows[e.key];
  if (a) {
    if (state.look) nudgeLoupe({ x: a[0] * step, y: a[1] * step });
    else v.turn(a[0] * 0.12, a[1] * 0.12);
  } else if (e.key === '+') v.zoom(0.88);
  else if (e.key === '_') v.zoom(1.14);
  else return;
  e.preventDefault();
}
function spread(e: KeyboardEvent) {
  const typing = e.target instanceof HTMLElement && ['INPUT', 'TEXTAREA', 'SELECT', 'BUTTON', 'A', 'SUMMARY'].includes(e.target.tagName);
  if (e.key !== ' ' || typing || !state.look || e.repeat) return;
  if (e.type === 'keydown') held = state.shape;
  setLoupe({ shape: e.type === 'keydown' ? 'all' : held });
  e.preventDefault();
}
let held = state.shape;
let waiting = false;
/** Pixels at the foot of the stage that the bar of picks takes. */
const below = ref(0);
const walkKeys: Record<string, (typeof SIDES)[number]> = { f: 'front', l: 'left', b: 'back', r: 'right', t: 'top' };
function walkKey(e: KeyboardEvent) {
  if (!waiting) return;
  waiting = false;
  const side = walkKeys[e.key];
  if (side) {
    e.stopImmediatePropagation();
    walk(side);
  }
}
onMounted(() => {
  addEventListener('keydown', walkKey, { capture: true });
  addEventListener('keydown', spread);
  addEventListener('keyup', spread);
});
onBeforeUnmount(() => {
  removeEventListener('keydown', walkKey, { capture: true });
  removeEventListener('keydown', spread);
  removeEventListener('keyup', spread);
});
useCommands(() => LENSES.map((l) => ({ group: 'Lens', name: l.name, hint: l.legend, run: () => choose(l.look) })));
useKeys('Stage', [
  { keys: ['v'], says: 'walk round: then f, l, b, r or t', run: () => (waiting = true) },
  {
    keys: ['x'],
    says: 'next lens',
    run: () =>
      choose([null, ...LENSES.map((l) => l.look)][([null, ...LENSES.map((l) => l.look)].indexOf(state.look) + 1) % (LENSES.length + 1)]!),
  },
  { keys: ['o'], says: 'swap inside and outside of the loupe', run: () => setLoupe({ swapped: !state.swapped }) },
  { keys: ['l'], says: 'pin the loupe, or pick it up', run: () => setLoupe({ pinned: !state.pinned }) },
  {
    keys: ['q'],
    says: 'glass, split line, whole stage',
    run: () => setLoupe({ shape: ({ circle: 'split', split: 'all', all: 'circle', none: 'circle' } as const)[state.shape] }),
  },
  { keys: ['-', '='], says: 'magnify less, more', run: (e) => nudgeLoupe({ zoom: e.key === '-' ? -0.25 : 0.25 }) },
  { keys: [',', '.'], says: 'previous, next place of what is marked', run: (e) => void step(e.key === '.' ? 1 : -1) },
  { keys: ['a'], says: 'what is marked alone, or with the rest', run: () => (state.alone = !state.alone) },
  { keys: ['[', ']'], says: 'smaller, larger loupe', run: (e) => nudgeLoupe({ r: e.key === '[' ? -10 : 10 }) },
  { keys: ['h'], says: 'staff beside it, or nothing', run: () => (state.measure = state.measure === 'none' ? 'suited' : 'none') },
  { keys: ['c'], says: 'metre cubes', run: () => (state.cubes = !state.cubes) },
  { keys: ['0'], says: 'whole model in view', run: () => fit() },
  { keys: ['g'], says: 'motion: its bar', run: () => (state.motion = !state.motion && state.clips.length > 0) },
  { keys: ['p'], says: 'play, pause', run: () => stage.motion.play() },
  { keys: ['<', '>'], says: 'one frame back, on', run: (e) => stage.motion.stepFrame(e.key === '>' ? 1 : -1) },
  { keys: ['y'], says: 'rest, pose', run: () => stage.motion.rest(state.posed) },
  { keys: ['d'], says: 'point at faces', run: () => (bench.picking.value = !bench.picking.value) },
  { keys: ['u'], says: 'pull test', run: () => (state.pulling = !state.pulling && state.hasJoints) },
  { keys: ['(', ')'], says: 'previous, next joint', run: (e) => stage.motion.nextJoint(e.key === ')' ? 1 : -1) },
]);
</script>

<template>
  <section class="stage" :class="{ moving: state.motion && state.clips.length }" aria-label="Stage">
    <div
      ref="holder"
      class="holder"
      :style="{ bottom: `${below}px` }"
      tabindex="0"
      role="application"
      aria-label="The model in 3D. Arrows turn it or move the loupe, plus and underscore come nearer or go away, 0 shows all."
      :class="{ pointing: bench.way.value === 'look' || bench.picking.value }"
      @pointerdown.capture="down"
      @pointermove.capture="drag"
      @pointerup="(e) => (pointing.up(e), bench.picking.value || framing.up(e))"
      @pointermove="pointer"
      @keydown="key"
      @wheel.capture="wheel"
    >
      <canvas ref="canvas" />
    </div>
    <div
      v-if="framing.drawing.value"
      class="frame"
      aria-hidden="true"
      :style="{
        left: `${framing.frame.left}px`,
        top: `${framing.frame.top}px`,
        width: `${framing.frame.right - framing.frame.left}px`,
        height: `${framing.frame.bottom - framing.frame.top}px`,
      }"
    />
    <svg v-if="bench.picking.value" class="over" aria-hidden="true">
      <polygon v-if="pointing.line.value.length > 1" class="drawn" :points="pointing.line.value.map((p) => p.join(',')).join(' ')" />
      <path
        v-if="pointing.cross.shown"
        class="cross"
        :d="`M${pointing.cross.x - 9} ${pointing.cross.y}h18M${pointing.cross.x} ${pointing.cross.y - 9}v18`"
      />
    </svg>
    <svg v-if="state.leader && label && bench.finding.value" class="over" aria-hidden="true">
      <path
        :d="`M${state.leader.x} ${state.leader.y}L${label.x} ${label.y}`"
        :stroke="HEX[bench.finding.value.result]"
        stroke-width="1.3"
      />
      <circle :cx="state.leader.x" :cy="state.leader.y" r="3" fill="#FFFDF8" :stroke="HEX[bench.finding.value.result]" stroke-width="1.5" />
      <circle :cx="label.x" :cy="label.y" r="10" fill="#FFFDF8" :stroke="HEX[bench.finding.value.result]" stroke-width="1.4" />
      <text :x="label.x" :y="label.y + 4.6" text-anchor="middle" class="letter" :fill="HEX[bench.finding.value.result]">{{ letter }}</text>
    </svg>
    <span
      v-for="(n, k) in state.labels"
      :key="k"
      class="label mono"
      :style="{ transform: `translate(${n.x}px, ${n.y}px) translate(-50%, -50%)` }"
      aria-hidden="true"
      >{{ n.name }}</span
    >
    <JointHandles v-if="state.pulling && state.joints.length" :context="stage" />
    <LoupeRing v-if="state.look && state.shape === 'circle'" :x="state.x" :y="state.y" :r="state.r" :turn="124" />
    <StageCaption :context="stage" />
    <UvPanel v-if="state.look === 'layout'" :context="stage" :marked="marked" :part="bench.part.value" @point="stage.point" />
    <SideWalk v-if="ordered" :key="ordered.finding?.id ?? `part ${ordered.node}`" :context="stage" v-bind="ordered" @loupe="setLoupe" />
    <div class="walk" role="group" aria-label="Walk round">
      <span>Walk round</span><button v-for="s in SIDES" :key="s" :aria-pressed="state.side === s" @click="walk(s)">{{ s }}</button
      ><button @click="fit()">all</button>
    </div>
    <div v-if="state.loading || state.error" class="veil" :class="{ stop: state.error }">
      <template v-if="state.error"><ResultMark result="stop" :size="20" /> {{ state.error }}</template
      ><template v-else><ResultMark result="pending" :size="20" /> reading</template>
    </div>
    <div v-else-if="coarse" class="first" role="status">
      <ResultMark result="pending" /> A first, coarse picture; the whole one is being drawn
    </div>
    <div class="fade" />
    <div v-if="!bench.picking.value" class="bar" aria-hidden="true">
      <i :style="{ width: `${state.bar}px` }" /><span class="mono">{{ length(state.barMetres) }}</span>
    </div>
    <div v-if="marked" class="steps" role="group" aria-label="What is marked">
      <button class="btn" :aria-pressed="state.alone" title="Take away what is not marked" @click="state.alone = !state.alone">
        Alone
      </button>
      <template v-if="state.places > 1"
        ><button class="btn" aria-label="Previous place" @click="step(-1)">‹</button
        ><span class="mono" aria-live="polite">{{ state.place || 'all' }} of {{ state.places }}</span
        ><button class="btn" aria-label="Next place" @click="step(1)">›</button></template
      >
    </div>
    <MotionBar v-if="state.motion && state.clips.length" :context="stage" />
    <PullTest v-if="state.pulling" :context="stage" :inspection="bench.bench.value?.reading?.inspection ?? null" />
    <PickBar v-if="bench.picking.value" @tall="(pixels) => (below = pixels)" />
    <LensRack
      v-else
      class="rack"
      :look="state.look === 'built' ? null : state.look"
      :showing="!!state.look"
      :shape="state.shape"
      @choose="choose"
      @shape="(shape) => setLoupe({ shape })"
    />
    <div v-if="!bench.picking.value" class="beside">
      <label
        ><select v-model="state.measure" aria-label="What stands beside it" :title="standing?.says">
          <option value="suited">{{ MEASURES.find((m) => m.key === state.suited)?.name }}</option>
          <template v-for="m in MEASURES" :key="m.key"
            ><option v-if="m.key !== state.suited" :value="m.key">{{ m.name }}</option></template
          >
          <option value="none">No measure</option>
        </select></label
      >
      <label><input v-model="state.cubes" type="checkbox" /> Metre cubes</label>
      <label><input v-model="bench.picking.value" type="checkbox" /> Point at faces</label>
      <label v-if="state.clips.length"><input v-model="state.motion" type="checkbox" /> Motion</label>
      <label v-if="state.hasJoints"><input v-model="state.pulling" type="checkbox" /> Pull test</label>
    </div>
  </section>
</template>

<style scoped>
.stage {
  position: relative;
  overflow: hidden;
  background: var(--hl-paper);
  min-width: 0;
  min-height: 0;
}
.holder {
  position: absolute;
  inset: 0;
  touch-action: none;
  cursor: grab;
}
.holder.pointing {
  cursor: crosshair;
}
.frame {
  position: absolute;
  border: 1.5px dashed var(--hl-verdigris);
  background: rgba(43, 117, 111, 0.1);
  pointer-events: none;
}
.holder:active {
  cursor: grabbing;
}
.holder:focus-visible {
  outline-offset: -3px;
}
canvas {
  display: block;
  width: 100%;
  height: 100%;
}
.over {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
  pointer-events: none;
}
.letter {
  font: italic 500 14px var(--hl-font-display);
}
.walk {
  position: absolute;
  right: 14px;
  top: 8px;
  font-size: 12.5px;
  color: var(--hl-ink-faded);
  display: flex;
  gap: 8px;
  align-items: center;
}
.walk button {
  border: 0;
  background: none;
  padding: 0 2px;
  min-width: 24px;
  min-height: 24px;
  cursor: pointer;
  color: var(--hl-ink-faded);
}
.walk button:hover {
  color: var(--hl-ink);
}
.walk button[aria-pressed='true'] {
  color: var(--hl-ink);
  font-weight: 700;
  border-bottom: 2px solid var(--hl-verdigris);
}
.veil {
  position: absolute;
  inset: 40% 60px auto;
  display: flex;
  gap: 8px;
  justify-content: center;
  align-items: center;
  color: var(--hl-ink-faded);
  pointer-events: none;
}
.first {
  position: absolute;
  left: 20px;
  top: 56px;
  display: flex;
  gap: 6px;
  align-items: center;
  font-size: 12.5px;
  color: var(--hl-ink-soft);
  pointer-events: none;
}
.fade {
  position: absolute;
  left: 0;
  right: 0;
  bottom: 0;
  height: 124px;
  background: linear-gradient(rgba(246, 241, 231, 0), #f6f1e7 56%);
  pointer-events: none;
}
.bar {
  position: absolute;
  left: 16px;
  bottom: 74px;
  font: 500 12px var(--hl-font-figure);
}
.bar i {
  display: block;
  height: 5px;
  border: 1px solid var(--hl-ink);
  background: linear-gradient(90deg, var(--hl-ink) 50%, transparent 0) 0 0 / 50% 100%;
  margin-bottom: 3px;
}
/* Where the stage is low, the bar of motion lies where the scale would be. */
@media (max-width: 1099px) {
  .moving .bar {
    display: none;
  }
}
.drawn {
  fill: rgba(43, 117, 111, 0.1);
  stroke: var(--hl-verdigris);
  stroke-width: 1.5;
  stroke-dasharray: 5 4;
}
.cross {
  stroke: var(--hl-ink);
  stroke-width: 1.5;
}
.rack {
  position: absolute;
  left: 6px;
  right: 6px;
  bottom: 8px;
}
.label {
  position: absolute;
  left: 0;
  top: 0;
  pointer-events: none;
  font-size: 12px;
  background: var(--hl-sheet);
  border: 1px solid var(--hl-rule-strong);
  border-radius: 2px;
  padding: 0 4px;
  white-space: nowrap;
}
.steps {
  position: absolute;
  right: 14px;
  top: 38px;
  display: flex;
  gap: 6px;
  align-items: center;
  font-size: 12.5px;
}
.beside {
  position: absolute;
  right: 14px;
  bottom: 70px;
  display: flex;
  flex-direction: column;
  font-size: 12.5px;
}
.beside label {
  display: flex;
  align-items: center;
  gap: 6px;
  min-height: 24px;
}
.beside select {
  border: 0;
  border-bottom: 1px solid var(--hl-rule-strong);
  background: transparent;
  min-height: 24px;
  width: 112px;
}
.beside input {
  accent-color: var(--hl-verdigris);
  width: 15px;
  height: 15px;
}
</style>
