<script setup lang="ts">
// The UV layout of one part as a flat sheet: its charts, its picture, and the faces that a finding marks on the stage.
import { BufferAttribute, BufferGeometry, type Mesh, type Texture } from 'three';
import { computed, onBeforeUnmount, onMounted, ref, shallowRef, watch } from 'vue';
import type { Surface } from '../stage/looks';
import { facesIndex } from '../stage/marks';
import { chartEdges } from '../stage/overlays';
import { TOKENS } from '../stage/tokens';
import { triangleAt, uvBounds, UvSheet, type UvView } from '../stage/uvSheet';
import type { StageContext } from './stageState';
import type { Marked } from './useEvidence';

const props = defineProps<{ context: StageContext; marked: Marked | null; part: number | null }>();
const emit = defineEmits<{ point: [node: number, triangle: number] }>();
const SIDE = 268;
const canvas = ref<HTMLCanvasElement>();
const node = ref<number | null>(null);
const view = ref<UvView>({ u: 0.5, v: 0.5, across: 1.1 });
const edges = shallowRef<BufferGeometry | null>(null);
const pointed = ref<number | null>(null);
let sheet: UvSheet | null = null;
const model = computed(() => props.context.model.value);
const parts = computed(() => [...(model.value?.parts ?? [])].filter(([, mesh]) => mesh.geometry.attributes.uv).map(([n]) => ({ node: n, name: model.value!.names.get(n) ?? '' })));
const mesh = computed<Mesh | null>(() => (node.value === null ? null : (model.value?.parts.get(node.value) ?? null)));
const bounds = computed(() => (mesh.value ? uvBounds(mesh.value.geometry) : null));
const outside = computed(() => {
  const b = bounds.value;
  return b && (b.low[0]! < 0 || b.low[1]! < 0 || b.high[0]! > 1 || b.high[1]! > 1) ? `U ${round(b.low[0]!)} to ${round(b.high[0]!)}, V ${round(b.low[1]!)} to ${round(b.high[1]!)}` : '';
});
const round = (x: number) => String(Number(x.toFixed(2))).replace('-', '−');
const words = computed(() => {
  if (!mesh.value) return '';
  const m = props.marked;
  const here = m && m.kind === 'faces' && m.nodes.includes(node.value!);
  return [outside.value ? `Reaches outside the square: ${outside.value}.` : 'Within the 0 to 1 square.', here ? `${m.indices.length.toLocaleString('en')} marked faces are hatched.` : ''].join(' ');
});

// What is marked or isolated on the stage is what the sheet shows.
watch([parts, () => props.part, () => props.marked], () => {
  const has = (n: number | null | undefined) => n !== null && n !== undefined && parts.value.some((p) => p.node === n);
  const wanted = props.part ?? props.marked?.nodes.find((n) => has(n)) ?? node.value;
  node.value = has(wanted) ? wanted! : (parts.value[0]?.node ?? null);
}, { immediate: true });
watch(mesh, async (m) => {
  edges.value = null;
  pointed.value = null;
  if (!m) return;
  whole();
  const made = await chartEdges(m);
  if (mesh.value === m) edges.value = made;
}, { immediate: true });

function whole() {
  const b = bounds.value;
  if (!b) return;
  const [w, h] = [b.high[0]! - b.low[0]!, b.high[1]! - b.low[1]!];
  view.value = { u: (b.low[0]! + b.high[0]!) / 2, v: (b.low[1]! + b.high[1]!) / 2, across: Math.max(w, h) * 1.08 };
}

function draw() {
  const s = props.context.stage.value;
  const c = canvas.value?.getContext('2d');
  if (!s || !c || !mesh.value || !edges.value) return;
  const scale = Math.min(2, devicePixelRatio);
  const side = SIDE * scale;
  canvas.value!.width = canvas.value!.height = side;
  c.fillStyle = '#FFFDF8';
  c.fillRect(0, 0, side, side);
  picture(c, side);
  const marks: { geometry: BufferGeometry; hex: string }[] = [];
  const m = props.marked;
  if (m && m.kind === 'faces' && m.nodes.includes(node.value!)) marks.push({ geometry: part(facesIndex(mesh.value, m.indices)), hex: TOKENS[m.result] });
  if (pointed.value !== null) marks.push({ geometry: part((mesh.value.geometry.index!.array as Uint32Array).slice(3 * pointed.value, 3 * pointed.value + 3)), hex: TOKENS.ink });
  const lines = document.createElement('canvas');
  lines.width = lines.height = side;
  lines.getContext('2d')!.putImageData((sheet ??= new UvSheet(s.renderer)).draw(edges.value, marks, view.value, side, side), 0, 0);
  c.drawImage(lines, 0, 0);
}
/** Some triangles of the part, over its own vertices. */
function part(index: Uint32Array) {
  const g = new BufferGeometry();
  g.setAttribute('position', mesh.value!.geometry.attributes.position!);
  g.setAttribute('uv', mesh.value!.geometry.attributes.uv!);
  return g.setIndex(new BufferAttribute(index, 1));
}
/** The part's own picture, pale, in the 0 to 1 square. */
function picture(c: CanvasRenderingContext2D, side: number) {
  const map = (mesh.value!.userData.surfaces as Surface[]).find((s) => s.map)?.map as Texture | undefined;
  if (!map?.image) return;
  const k = side / view.value.across;
  const [x, y] = [side / 2 - view.value.u * k, side / 2 - view.value.v * k];
  c.save();
  c.globalAlpha = 0.4;
  c.drawImage(map.image as ImageBitmap, x, y, k, k);
  c.restore();
}

/** The place in UV space under the pointer. */
function at(e: PointerEvent | WheelEvent): [number, number] {
  const r = canvas.value!.getBoundingClientRect();
  const [x, y] = [(e.clientX - r.left) / r.width - 0.5, (e.clientY - r.top) / r.height - 0.5];
  return [view.value.u + x * view.value.across, view.value.v + y * view.value.across];
}
function zoom(factor: number, [u, v]: [number, number] = [view.value.u, view.value.v]) {
  const across = Math.min(1e4, Math.max(1e-3, view.value.across * factor));
  const k = across / view.value.across;
  view.value = { u: u + (view.value.u - u) * k, v: v + (view.value.v - v) * k, across };
}
let drag: { x: number; y: number; moved: boolean } | null = null;
function down(e: PointerEvent) {
  canvas.value!.setPointerCapture(e.pointerId);
  drag = { x: e.clientX, y: e.clientY, moved: false };
}
function move(e: PointerEvent) {
  if (!drag) return;
  const k = view.value.across / SIDE;
  drag.moved ||= Math.hypot(e.clientX - drag.x, e.clientY - drag.y) > 3;
  if (!drag.moved) return;
  view.value = { ...view.value, u: view.value.u - (e.clientX - drag.x) * k, v: view.value.v - (e.clientY - drag.y) * k };
  Object.assign(drag, { x: e.clientX, y: e.clientY });
}
function up(e: PointerEvent) {
  if (drag && !drag.moved && mesh.value) {
    const t = triangleAt(mesh.value.geometry, ...at(e));
    pointed.value = t < 0 ? null : t;
    if (t >= 0) emit('point', node.value!, t);
  }
  drag = null;
}
function key(e: KeyboardEvent) {
  const step = view.value.across * 0.08;
  const moves: Record<string, Partial<UvView>> = { ArrowLeft: { u: view.value.u - step }, ArrowRight: { u: view.value.u + step }, ArrowUp: { v: view.value.v - step }, ArrowDown: { v: view.value.v + step } };
  if (moves[e.key]) view.value = { ...view.value, ...moves[e.key] };
  else if (e.key === '+') zoom(0.8);
  else if (e.key === '_') zoom(1.25);
  else if (e.key === 'Home') whole();
  else return;
  e.preventDefault();
  e.stopPropagation();
}
onMounted(draw);
watch([view, edges, pointed, () => props.marked], draw, { flush: 'post' });
onBeforeUnmount(() => sheet?.dispose());
</script>

<template>
  <aside class="uv" aria-label="UV layout">
    <header>
      <select v-if="parts.length > 1" :value="node ?? ''" aria-label="Part of the layout" @change="node = Number(($event.target as HTMLSelectElement).value)"><option v-for="p in parts" :key="p.node" :value="p.node">{{ p.name }}</option></select>
      <b v-else>{{ parts[0]?.name ?? 'UV layout' }}</b>
      <button class="btn plain" :disabled="!mesh" @click="whole">all</button>
    </header>
    <canvas
      v-show="parts.length" ref="canvas" :width="SIDE" :height="SIDE" tabindex="0" role="img" :aria-label="`The UV layout of ${model?.names.get(node ?? -1) ?? 'the part'}. ${words} Arrows move it, plus and underscore come nearer or go away, Home shows all.`"
      @pointerdown="down" @pointermove="move" @pointerup="up" @wheel.prevent="zoom($event.deltaY > 0 ? 1.15 : 0.87, at($event))" @keydown="key"
    />
    <p>{{ parts.length ? (edges ? words : 'finding the charts …') : 'No part has UVs, so there is no layout.' }}</p>
  </aside>
</template>

<style scoped>
.uv { position: absolute; left: 14px; bottom: 108px; width: 284px; background: var(--hl-sheet); border: 1px solid var(--hl-rule-strong); border-radius: 2px; box-shadow: var(--hl-shadow-pop); padding: 6px 8px; font-size: 12.5px; }
header { display: flex; justify-content: space-between; align-items: center; gap: 8px; min-height: 26px; }
select { min-height: 24px; border: 0; border-bottom: 1px solid var(--hl-rule-strong); background: none; font: 700 13px var(--hl-font-text); max-width: 200px; }
canvas { display: block; width: 268px; height: 268px; border: 1px solid var(--hl-rule); touch-action: none; cursor: crosshair; }
p { color: var(--hl-ink-faded); line-height: 1.3; padding-top: 4px; min-height: 36px; }
</style>
