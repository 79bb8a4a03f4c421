<script setup lang="ts">
// The UV layout of one part as a flat sheet: its charts, its picture, and the faces that a finding marks on the stage.
import { BufferAttribute, type BufferGeometry, type Mesh } from 'three';
import { computed, onBeforeUnmount, onMounted, ref, shallowRef, watch } from 'vue';
import type { Surface } from '../stage/looks';
import { facesIndex } from '../stage/marks';
import { uvName, uvSets } from '../stage/displayCopy';
import { chartEdges, laidFlat } from '../stage/overlays';
import { TOKENS } from '../stage/tokens';
import { triangleAt, uvBounds, UvSheet, type UvView } from '../stage/uvSheet';
import { facesOf } from '../stage/picks';
import { faceText } from '../stage/faces';
import { changed } from './pieces/picks';
import type { StageContext } from './stageState';
import { useBench } from './useBench';
import type { Marked } from './useEvidence';

const props = defineProps<{ context: StageContext; marked: Marked | null; part: number | null }>();
const emit = defineEmits<{ point: [node: number, triangle: number] }>();
const bench = useBench('tape', 'ways', 'picks');
const SIDE = 268;
/** Texture widths within which a corner of what is dragged snaps to a corner of the tile. */
const SNAP = 0.03;
const canvas = ref<HTMLCanvasElement>();
const node = ref<number | null>(null);
/** Which UV set is laid flat, from 0 on. */
const set = ref(0);
const view = ref<UvView>({ u: 0.5, v: 0.5, across: 1.1 });
const edges = shallowRef<BufferGeometry | null>(null);
const pointed = ref<number | null>(null);
let sheet: UvSheet | null = null;
const model = computed(() => props.context.model.value);
const parts = computed(() =>
  [...(model.value?.parts ?? [])]
    .filter(([, mesh]) => mesh.geometry.attributes.uv)
    .map(([n]) => ({ node: n, name: model.value!.names.get(n) ?? '' })),
);
const mesh = computed<Mesh | null>(() => (node.value === null ? null : (model.value?.parts.get(node.value) ?? null)));
const sets = computed(() => (mesh.value ? uvSets(mesh.value.geometry) : 0));
const bounds = computed(() => (mesh.value ? uvBounds(mesh.value.geometry, set.value) : null));
const outside = computed(() => {
  const b = bounds.value;
  return b && (b.low[0]! < 0 || b.low[1]! < 0 || b.high[0]! > 1 || b.high[1]! > 1)
    ? `U ${round(b.low[0]!)} to ${round(b.high[0]!)}, V ${round(b.low[1]!)} to ${round(b.high[1]!)}`
    : '';
});
const round = (x: number) => String(Number(x.toFixed(2))).replace('-', '−');
/** What is marked, if it is told of the part and the set that are laid flat. */
const here = computed(() => {
  const m = props.marked;
  return m && m.kind === 'faces' && m.nodes.includes(node.value!) && (m.uvSet ?? set.value) === set.value ? m : null;
});
/** Faces of this part that are picked, while faces are pointed at: they are dragged here. */
const picked = computed(() => (bench.picking.value && node.value !== null ? (bench.faces.value.get(node.value) ?? null) : null));
/** How far they are dragged, u and v running down. */
const moved = ref<[number, number]>([0, 0]);
const pickedIndex = computed(() => {
  const mask = picked.value;
  return mask && mesh.value
    ? facesIndex(mesh.value, Int32Array.from(mask.reduce<number[]>((all, x, f) => (x ? (all.push(f), all) : all), [])))
    : null;
});
/** The box of what is picked, in the set that is laid flat. */
function pickedBox() {
  const uv = mesh.value!.geometry.attributes[uvName(set.value)]!.array;
  const box = { low: [Infinity, Infinity], high: [-Infinity, -Infinity] };
  for (const i of pickedIndex.value!)
    for (const k of [0, 1]) {
      box.low[k] = Math.min(box.low[k]!, uv[2 * i + k]!);
      box.high[k] = Math.max(box.high[k]!, uv[2 * i + k]!);
    }
  return box;
}
/** Lays a slip that changes where the picked faces lie on the picture. */
function place(change: Record<string, unknown>) {
  const key = bench.nodes.value.find((n) => n.node === node.value)?.key;
  if (picked.value && key) bench.put('textures.place-uvs', { faces: faceText(picked.value), set: set.value + 1, parts: [key], ...change });
}
const ACTS: [string, string, Record<string, unknown>][] = [
  ['↺ 90°', 'Turn a quarter counter-clockwise', { degrees: 90 }],
  ['mirror', 'Mirror left to right', { mirror: 'across' }],
  ['flip', 'Mirror top to bottom', { mirror: 'down' }],
  ['fill', 'Fill the tile', { snap: 'fill' }],
];
/** The surface whose picture is laid on by this set. */
const painted = computed(() => (mesh.value?.userData.surfaces as Surface[] | undefined)?.find((s) => s.map && s.uvSet === set.value));
const words = computed(() => {
  if (!mesh.value) return '';
  return [
    outside.value ? `Reaches outside the square: ${outside.value}.` : 'Within the 0 to 1 square.',
    here.value ? `${here.value.indices.length.toLocaleString('en')} marked faces are hatched.` : '',
    sets.value > 1 && !painted.value ? 'No picture on the stage is laid on by this set.' : '',
  ]
    .filter(Boolean)
    .join(' ');
});

// What is marked or isolated on the stage is what the sheet shows.
watch(
  [parts, () => props.part, () => props.marked],
  () => {
    const has = (n: number | null | undefined) => n !== null && n !== undefined && parts.value.some((p) => p.node === n);
    const wanted = props.part ?? props.marked?.nodes.find((n) => has(n)) ?? node.value;
    node.value = has(wanted) ? wanted! : (parts.value[0]?.node ?? null);
    if (props.marked?.uvSet !== undefined) set.value = props.marked.uvSet;
  },
  { immediate: true },
);
watch(
  [mesh, set],
  async ([m, k]) => {
    if (k >= sets.value) return void (set.value = 0);
    props.context.stage.value?.setUvSet(k);
    edges.value = null;
    pointed.value = null;
    if (!m) return;
    whole();
    const made = await chartEdges(m, k);
    if (mesh.value === m && set.value === k) edges.value = made;
  },
  { immediate: true },
);

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
  const m = here.value;
  if (m) marks.push({ geometry: laid(facesIndex(mesh.value, m.indices)), hex: TOKENS[m.result] });
  if (pickedIndex.value) marks.push({ geometry: shifted(laid(pickedIndex.value)), hex: TOKENS.band });
  if (pointed.value !== null)
    marks.push({
      geometry: laid((mesh.value.geometry.index!.array as Uint32Array).slice(3 * pointed.value, 3 * pointed.value + 3)),
      hex: TOKENS.ink,
    });
  const lines = document.createElement('canvas');
  lines.width = lines.height = side;
  lines.getContext('2d')!.putImageData((sheet ??= new UvSheet(s.renderer)).draw(edges.value, marks, view.value, side, side), 0, 0);
  c.drawImage(lines, 0, 0);
}
/** The same as far off as what is picked is dragged. */
function shifted(g: BufferGeometry) {
  const [u, v] = moved.value;
  if (!u && !v) return g;
  const uv = g.attributes.uv!.clone();
  for (let i = 0; i < uv.count; i++) uv.setXY(i, uv.getX(i) + u, uv.getY(i) + v);
  return g.setAttribute('uv', uv);
}
/** Some triangles of the part, laid flat. */
const laid = (index: Uint32Array) => laidFlat(mesh.value!, set.value, new BufferAttribute(index, 1));
/** The part's own picture, pale, where its material lays it: in the 0 to 1 square unless a texture transform moves it. */
function picture(c: CanvasRenderingContext2D, side: number) {
  const map = painted.value?.map;
  if (!map?.image) return;
  const k = side / view.value.across;
  c.save();
  c.globalAlpha = 0.4;
  c.setTransform(k, 0, 0, k, side / 2 - view.value.u * k, side / 2 - view.value.v * k);
  const placed = painted.value!.placed;
  if (placed) {
    // The material takes a UV to a place of the picture; the picture lies where that is undone.
    const [a, b, u, d, e, v] = placed as [number, number, number, number, number, number];
    const { a: p, b: q, c: r, d: s, e: x, f: y } = new DOMMatrix([a, d, b, e, u, v]).inverse();
    c.transform(p, q, r, s, x, y);
  }
  c.drawImage(map.image as ImageBitmap, 0, 0, 1, 1);
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
let drag: { x: number; y: number; moved: boolean; island: boolean } | null = null;
function down(e: PointerEvent) {
  canvas.value!.setPointerCapture(e.pointerId);
  const t = picked.value && mesh.value ? triangleAt(mesh.value.geometry, set.value, ...at(e)) : -1;
  const own = t >= 0 && !!picked.value![facesOf(mesh.value!).t.faces[t]!];
  drag = { x: e.clientX, y: e.clientY, moved: false, island: own };
}
function move(e: PointerEvent) {
  if (!drag) return;
  const k = view.value.across / SIDE;
  drag.moved ||= Math.hypot(e.clientX - drag.x, e.clientY - drag.y) > 3;
  if (!drag.moved) return;
  if (drag.island) {
    const way = [(e.clientX - drag.x) * k, (e.clientY - drag.y) * k];
    const { low, high } = pickedBox();
    // A side of it that comes near to a side of the tile is meant to lie on it.
    moved.value = way.map((x, axis) => {
      const near = [low[axis]!, high[axis]!]
        .map((side) => Math.round(side + x) - side)
        .sort((a, b) => Math.abs(a - x) - Math.abs(b - x))[0]!;
      return Math.abs(near - x) < SNAP ? near : x;
    }) as [number, number];
    return;
  }
  view.value = { ...view.value, u: view.value.u - (e.clientX - drag.x) * k, v: view.value.v - (e.clientY - drag.y) * k };
  Object.assign(drag, { x: e.clientX, y: e.clientY });
}
function up(e: PointerEvent) {
  if (drag?.moved && drag.island) {
    const [u, v] = moved.value;
    if (u || v) place({ right: Number(u.toFixed(6)), up: Number((-v).toFixed(6)), about: 'middle' });
  } else if (drag && !drag.moved && mesh.value && bench.picking.value) {
    const t = triangleAt(mesh.value.geometry, set.value, ...at(e));
    const faces = facesOf(mesh.value);
    if (t >= 0) {
      const adding = e.shiftKey ? 'add' : e.ctrlKey || e.metaKey ? 'away' : bench.adding.value;
      bench.pick(changed(bench.faces.value, new Map([[node.value!, faces.island(faces.t.faces[t]!)]]), adding));
    }
  } else if (drag && !drag.moved && mesh.value) {
    const t = triangleAt(mesh.value.geometry, set.value, ...at(e));
    pointed.value = t < 0 ? null : t;
    if (t >= 0) emit('point', node.value!, t);
  }
  drag = null;
}
function key(e: KeyboardEvent) {
  const step = view.value.across * 0.08;
  const moves: Record<string, Partial<UvView>> = {
    ArrowLeft: { u: view.value.u - step },
    ArrowRight: { u: view.value.u + step },
    ArrowUp: { v: view.value.v - step },
    ArrowDown: { v: view.value.v + step },
  };
  if (moves[e.key]) view.value = { ...view.value, ...moves[e.key] };
  else if (e.key === '+') zoom(0.8);
  else if (e.key === '_') zoom(1.25);
  else if (e.key === 'Home') whole();
  else return;
  e.preventDefault();
  e.stopPropagation();
}
onMounted(draw);
// What was dragged lies there once it is read anew.
watch(mesh, () => (moved.value = [0, 0]));
watch([view, edges, pointed, pickedIndex, moved, () => props.marked], draw, { flush: 'post' });
onBeforeUnmount(() => {
  sheet?.dispose();
  props.context.stage.value?.setUvSet(0);
});
</script>

<template>
  <aside class="uv" :class="{ higher: bench.picking.value }" aria-label="UV layout">
    <header>
      <select
        v-if="parts.length > 1"
        :value="node ?? ''"
        aria-label="Part of the layout"
        @change="node = Number(($event.target as HTMLSelectElement).value)"
      >
        <option v-for="p in parts" :key="p.node" :value="p.node">{{ p.name }}</option>
      </select>
      <b v-else>{{ parts[0]?.name ?? 'UV layout' }}</b>
      <select v-if="sets > 1" v-model.number="set" class="set" aria-label="UV set">
        <option v-for="k in sets" :key="k" :value="k - 1">set {{ k }}</option>
      </select>
      <button class="btn plain" :disabled="!mesh" @click="whole">all</button>
    </header>
    <canvas
      v-show="parts.length"
      ref="canvas"
      :width="SIDE"
      :height="SIDE"
      tabindex="0"
      role="img"
      :aria-label="`The UV layout of ${sets > 1 ? `set ${set + 1} of ` : ''}${model?.names.get(node ?? -1) ?? 'the part'}. ${words} Arrows move it, plus and underscore come nearer or go away, Home shows all.`"
      @pointerdown="down"
      @pointermove="move"
      @pointerup="up"
      @wheel.prevent="zoom($event.deltaY > 0 ? 1.15 : 0.87, at($event))"
      @keydown="key"
    />
    <div v-if="picked" class="acts" role="group" aria-label="UVs of what is picked">
      <button v-for="[word, title, change] in ACTS" :key="word" class="btn" :title="title" @click="place(change)">{{ word }}</button>
    </div>
    <p v-if="picked">Drag what is picked; it snaps to the tile.</p>
    <p v-else>{{ parts.length ? (edges ? words : 'finding the charts …') : 'No part has UVs, so there is no layout.' }}</p>
  </aside>
</template>

<style scoped>
.uv {
  position: absolute;
  left: 14px;
  bottom: 108px;
  width: 284px;
  background: var(--hl-sheet);
  border: 1px solid var(--hl-rule-strong);
  border-radius: 2px;
  box-shadow: var(--hl-shadow-pop);
  padding: 6px 8px;
  font-size: 12.5px;
}
.higher {
  bottom: 118px;
}
.acts {
  display: flex;
  gap: 4px;
  padding-top: 4px;
}
header .plain {
  min-width: 28px;
}
header {
  display: flex;
  justify-content: space-between;
  align-items: center;
  gap: 8px;
  min-height: 26px;
}
select {
  min-height: 24px;
  border: 0;
  border-bottom: 1px solid var(--hl-rule-strong);
  background: none;
  font: 700 13px var(--hl-font-text);
  max-width: 160px;
}
select.set {
  font-weight: 400;
  margin-left: auto;
}
canvas {
  display: block;
  width: 268px;
  height: 268px;
  border: 1px solid var(--hl-rule);
  touch-action: none;
  cursor: crosshair;
}
p {
  color: var(--hl-ink-faded);
  line-height: 1.3;
  padding-top: 4px;
  min-height: 36px;
}
</style>
