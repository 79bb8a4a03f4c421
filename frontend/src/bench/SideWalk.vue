<script setup lang="ts">
// A walk round two blended parts: a plan of all sides that were looked from, which of them draw the parts in the wrong order, and
// a sweep of the camera from one to the next, as the receiver draws it.
import { useQuery } from '@tanstack/vue-query';
import { Box3, Vector3 } from 'three';
import { computed, onBeforeUnmount, ref, watch } from 'vue';
import { api, type Finding } from '../api/client';
import ResultMark from '../ui/ResultMark.vue';
import type { StageContext } from './stageState';

const props = defineProps<{ context: StageContext; inspection: number; finding: Finding | null; node: number | null }>();
const emit = defineEmits<{ loupe: [change: { look: 'received' | null; shape: 'all' | 'circle' | 'split' | 'none' }] }>();
/** A side is wrong where more than this share of what lies behind both is; the server says so in words with the same share. */
const WRONG = 0.05;
const R = 82;
/** How long the camera stays on a side whose order is wrong, and on one whose order is right, in milliseconds. */
const [LINGER, PASS] = [1500, 600];
const about = computed(() => (props.finding ? `finding=${encodeURIComponent(props.finding.id)}` : `node=${props.node}`));
const { data, error } = useQuery({
  queryKey: computed(() => ['sides', props.inspection, about.value]),
  queryFn: () => api.sides(props.inspection, about.value),
  staleTime: Infinity,
});
const sides = computed(() =>
  (data.value?.sides ?? []).map((s) => {
    const [x = 0, y = 0, z = 0] = s.toward;
    const flat = Math.hypot(x, z) || 1;
    // Seen from above, the front below: above is the middle, below the rim, equal areas of the sphere equal areas of the plan.
    const r = R * Math.sqrt((1 - y) / 2);
    return { ...s, px: 100 + (r * x) / flat, py: 113 + (r * z) / flat, wrong: s.share !== null && s.share > WRONG };
  }),
);
const wrong = computed(() => sides.value.filter((s) => s.wrong).length);
const here = ref<number | null>(null);
const sweeping = ref(false);
let timer = 0;
const before = { look: props.context.state.look, shape: props.context.state.shape, alone: props.context.state.alone };

/** What the widest sector takes in, in words. */
function turns(sectors: number[][]) {
  const by = data.value?.numbered ? 'By the numbers right' : 'Right';
  const wide = sectors[0] && width(sectors[0]);
  return wide
    ? `${by} within ${wide >= 360 ? 'the whole round' : `${Math.round(wide)}° of headings`}.`
    : `${by} from no heading throughout.`;
}
const width = ([a = 0, b = 0]: number[]) => (b - a === 360 ? 360 : (b - a + 360) % 360);
/** A band along the rim of the plan over a sector of headings. */
function band(sector: number[], inner: number, outer: number) {
  const wide = Math.min(width(sector), 359.9);
  const at = (turn: number, r: number) => {
    const t = (turn * Math.PI) / 180;
    return `${(100 + r * Math.sin(t)).toFixed(1)} ${(113 + r * Math.cos(t)).toFixed(1)}`;
  };
  const [a, b, large] = [sector[0] ?? 0, (sector[0] ?? 0) + wide, wide > 180 ? 1 : 0];
  return `M${at(a, outer)}A${outer} ${outer} 0 ${large} 0 ${at(b, outer)}L${at(b, inner)}A${inner} ${inner} 0 ${large} 1 ${at(a, inner)}Z`;
}
const words = computed(() => {
  if (error.value) return (error.value as Error).message;
  if (!data.value) return 'reading the sides …';
  const s = here.value === null ? null : sides.value[here.value];
  if (!s) return `Wrong from ${wrong.value} of ${sides.value.length} sides. ${turns(data.value.numbered ?? data.value.right)}`;
  const from = `From ${s.words}: `;
  return (
    from +
    (s.share === null
      ? 'one does not lie behind the other.'
      : s.wrong
        ? `wrong on ${Math.round(s.share * 100)} % of what lies behind both.`
        : 'in the right order.')
  );
});

async function go(k: number) {
  const { model, viewer, state } = props.context;
  const s = sides.value[k];
  if (!s || !model.value || !viewer.value) return;
  here.value = k;
  if (state.look !== 'received' || state.shape !== 'all') emit('loupe', { look: 'received', shape: 'all' });
  Object.assign(state, { alone: true, walking: true });
  const box = new Box3();
  for (const node of data.value?.nodes ?? []) {
    const mesh = model.value.parts.get(node);
    if (mesh) box.expandByObject(mesh);
  }
  await viewer.value.flyTo(box, new Vector3(...(s.toward as [number, number, number])));
}
async function next(by: number) {
  const n = sides.value.length;
  if (n) await go(here.value === null ? (by > 0 ? 0 : n - 1) : (here.value + by + n) % n);
}
async function onward() {
  await next(1);
  if (!sweeping.value) return;
  if (here.value === sides.value.length - 1) sweeping.value = false;
  else timer = window.setTimeout(onward, sides.value[here.value!]?.wrong ? LINGER : PASS);
}
function sweep() {
  sweeping.value = !sweeping.value;
  clearTimeout(timer);
  if (!sweeping.value) return;
  if (here.value === sides.value.length - 1) here.value = null;
  void onward();
}
function step(by: number) {
  hold();
  void next(by);
}
function hold() {
  sweeping.value = false;
  clearTimeout(timer);
}
/** Goes to the side whose mark lies nearest to where the plan was clicked. */
function pick(e: MouseEvent) {
  const r = (e.currentTarget as SVGElement).getBoundingClientRect();
  const [x, y] = [((e.clientX - r.left) / r.width) * 200, ((e.clientY - r.top) / r.height) * 226];
  const far = (s: { px: number; py: number }) => Math.hypot(s.px - x, s.py - y);
  const nearest = sides.value.reduce((best, s, k) => (far(s) < far(sides.value[best]!) ? k : best), 0);
  if (!sides.value.length || far(sides.value[nearest]!) > 16) return;
  hold();
  void go(nearest);
}
watch(about, () => {
  hold();
  here.value = null;
});
onBeforeUnmount(() => {
  hold();
  if (here.value === null) return;
  Object.assign(props.context.state, { alone: before.alone, walking: false });
  emit('loupe', { look: before.look === 'received' ? 'received' : null, shape: before.shape });
});
</script>

<template>
  <aside v-if="finding || sides.length" class="sides" aria-label="Draw order, side by side">
    <header>
      <b>From where it is {{ wrong ? 'wrong' : 'right' }}</b>
    </header>
    <svg viewBox="0 0 200 226" role="img" :aria-label="`Plan of the sides, seen from above, the front below. ${words}`" @click="pick">
      <circle cx="100" cy="113" :r="R + 14" class="rim" />
      <circle cx="100" cy="113" :r="R * Math.SQRT1_2" class="level" />
      <path v-for="(s, k) in data?.right ?? []" :key="`r${k}`" :d="band(s, R + 8, R + 13)" class="holds">
        <title>right from here</title>
      </path>
      <path v-for="(s, k) in data?.numbered ?? []" :key="`n${k}`" :d="band(s, R + 2, R + 7)" class="numbers">
        <title>right from here, drawn by the numbers that the parts carry</title>
      </path>
      <text x="100" y="11" text-anchor="middle">back</text>
      <text x="100" y="223" text-anchor="middle">front</text>
      <g v-for="(s, k) in sides" :key="k" :transform="`translate(${s.px} ${s.py})`">
        <circle v-if="k === here" r="9.5" class="here" />
        <path v-if="s.wrong" d="M0-6.2 6.2 0 0 6.2-6.2 0Z" class="wrong" :style="{ fillOpacity: 0.3 + 0.7 * s.share! }" />
        <circle v-else-if="s.share !== null" r="3.6" class="right" />
        <circle v-else r="1.3" class="none" />
      </g>
    </svg>
    <p aria-live="polite">
      <ResultMark
        class="mark"
        :result="error ? 'nothing' : !data ? 'pending' : (here === null ? wrong > 0 : sides[here]?.wrong) ? 'caution' : 'clear'"
        :size="11"
      /><span>{{ words }}</span>
    </p>
    <div class="acts">
      <button class="btn small" :disabled="!sides.length" @click="sweep">{{ sweeping ? 'Hold' : 'Sweep' }}</button>
      <button class="btn small" aria-label="Previous side" :disabled="!sides.length" @click="step(-1)">‹</button>
      <button class="btn small" aria-label="Next side" :disabled="!sides.length" @click="step(1)">›</button>
    </div>
  </aside>
</template>

<style scoped>
.sides {
  position: absolute;
  left: 14px;
  bottom: 108px;
  width: 196px;
  background: var(--hl-sheet);
  border: 1px solid var(--hl-rule-strong);
  border-radius: 2px;
  box-shadow: var(--hl-shadow-pop);
  padding: 6px 8px;
  font-size: 12.5px;
}
.sides > svg {
  display: block;
  width: 100%;
  cursor: pointer;
}
.rim {
  fill: var(--hl-paper);
  stroke: var(--hl-rule-strong);
}
.level {
  fill: none;
  stroke: var(--hl-rule);
  stroke-dasharray: 2 3;
}
.holds {
  fill: var(--hl-verdigris);
}
.numbers {
  fill: none;
  stroke: var(--hl-verdigris);
  stroke-width: 1.2;
}
.here {
  fill: none;
  stroke: var(--hl-verdigris);
  stroke-width: 2.2;
}
.wrong {
  fill: var(--hl-caution-mark);
  stroke: var(--hl-caution-mark);
  stroke-width: 1.2;
}
.right {
  fill: var(--hl-sheet);
  stroke: var(--hl-ink-faded);
  stroke-width: 1.2;
}
.none {
  fill: var(--hl-ink-ghost);
}
text {
  font: 400 12px var(--hl-font-text);
  fill: var(--hl-ink-faded);
}
p {
  display: flex;
  gap: 5px;
  align-items: baseline;
  color: var(--hl-ink-soft);
  line-height: 1.3;
  min-height: 33px;
}
.mark {
  flex: none;
}
.acts {
  display: flex;
  gap: 6px;
  padding-top: 4px;
}
</style>
