<script setup lang="ts">
// Two rows of words under the stage: how to point at faces, and what to do with those that are picked.
import { computed, onBeforeUnmount, onMounted, reactive, ref, watch } from 'vue';
import { useKeys } from '../app/keys';
import type { Sets } from '../stage/displayCopy';
import { faceText, type Mask } from '../stage/faces';
import { facesOf } from '../stage/picks';
import type { MendFacts } from '../api/client';
import { ASKING, asksFor, callOf, fieldsOf, wantsOne, wantsPart } from './acts';
import { changed, HOWS, type Adding, type How, type Picks } from './pieces/picks';
import { useBench } from './useBench';
import { length } from './words';

/** What a new material is, until another colour is chosen. */
const PLAIN = '#b8a88a';
const emit = defineEmits<{ tall: [pixels: number] }>();
const bench = useBench('reading', 'choices', 'changes', 'tape', 'marks', 'ways', 'picks');
const model = computed(() => bench.drawn.value);
const HOW = Object.entries(HOWS) as [How, (typeof HOWS)[How]][];
const ADDING: [Adding, string][] = [
  ['new', 'replace'],
  ['add', 'add'],
  ['away', 'take away'],
];
const acts = computed(() => (bench.catalogue.value?.mends ?? []).filter((m) => m.menu?.place === 'faces'));
const act = ref<MendFacts | null>(null);
/** Whether what is split off is said to be not of the thing. */
const aside = ref(false);
const form = reactive<Record<string, string>>({});
bench.listing.value = true;

const mesh = (node: number) => model.value?.parts.get(node);
const each = computed(() =>
  [...bench.faces.value].flatMap(([node, mask]) => (mesh(node) ? [{ node, mask, faces: facesOf(mesh(node)!) }] : [])),
);
/** What is picked, in figures: how many, how large, of which parts and materials. */
const told = computed(() => {
  const m = model.value;
  let [count, area] = [0, 0];
  const low = [Infinity, Infinity, Infinity];
  const high = [-Infinity, -Infinity, -Infinity];
  const slots = new Set<number>();
  for (const { node, mask, faces } of each.value) {
    const drawn = mesh(node)!;
    const of = faces.figures(mask);
    count += of.count;
    // A part is scaled alike along all axes nearly always; where it is not, its mean is told.
    area += of.area * Math.cbrt(Math.abs(drawn.matrixWorld.determinant())) ** 2;
    const { index, positions: p, faces: polygon, slots: slot } = faces.t;
    const e = drawn.matrixWorld.elements;
    for (let t = 0; t < polygon.length; t++) {
      if (!mask[polygon[t]!]) continue;
      slots.add(slot[t]!);
      for (let k = 3 * t; k < 3 * t + 3; k++) {
        const v = 3 * index[k]!;
        for (let axis = 0; axis < 3; axis++) {
          const at = e[axis]! * p[v]! + e[axis + 4]! * p[v + 1]! + e[axis + 8]! * p[v + 2]! + e[axis + 12]!;
          if (at < low[axis]!) low[axis] = at;
          if (at > high[axis]!) high[axis] = at;
        }
      }
    }
  }
  const size = count ? low.map((x, k) => high[k]! - x) : null;
  const names = [...slots].map((s) => m?.materials[s] ?? 'no material');
  const images = [...slots].flatMap((s) => m?.inputs[s] ?? []).map(([role, image]) => `${role.replaceAll('-', ' ')}: ${image}`);
  return { count, area, size, names, images };
});
const square = (m2: number) =>
  m2 >= 0.1 ? `${m2.toPrecision(3)} m²` : m2 >= 1e-5 ? `${(m2 * 1e4).toPrecision(3)} cm²` : `${(m2 * 1e6).toPrecision(3)} mm²`;
const parts = computed(() => each.value.map(({ node }) => model.value?.names.get(node) ?? '').join(', '));
const list = (all: string[], most: number) =>
  all.length > most ? `${all.slice(0, most).join(', ')} and ${all.length - most} more` : all.join(', ');

/** Sets of faces that the file, or a mend of before, gave a name. */
const sets = computed(() =>
  [...(model.value?.parts ?? [])].flatMap(([node, m]) =>
    ((m.geometry.userData.sets as Sets | undefined)?.names ?? []).map((name, k) => ({
      node,
      k,
      name: `${name || 'the rest'} of ${model.value!.names.get(node)}`,
    })),
  ),
);
function takeSet(event: Event) {
  const chosen = sets.value[Number((event.target as HTMLSelectElement).value)];
  (event.target as HTMLSelectElement).value = '';
  if (!chosen) return;
  const drawn = mesh(chosen.node)!;
  const faces = facesOf(drawn);
  const mask = faces.empty();
  (drawn.geometry.userData.sets as Sets).of.forEach((s, t) => s === chosen.k && (mask[faces.t.faces[t]!] = 1));
  take(new Map([[chosen.node, mask]]));
}
const take = (by: Picks) => bench.pick(changed(bench.faces.value, by, bench.adding.value));
/** Faces that the open finding marks. */
const marked = computed(() => {
  const m = bench.marked.value;
  return m?.kind === 'faces' && m.nodes.length === 1 && mesh(m.nodes[0]!) ? m : null;
});
function takeMarked() {
  const faces = facesOf(mesh(marked.value!.nodes[0]!)!);
  const mask = faces.empty();
  for (const f of marked.value!.indices) mask[f] = 1;
  take(new Map([[marked.value!.nodes[0]!, mask]]));
}
const all = (change: (faces: ReturnType<typeof facesOf>, mask: Mask) => Mask) =>
  bench.pick(new Map(each.value.map(({ node, mask, faces }) => [node, change(faces, mask)])));
const grow = () => all((faces, mask) => faces.grown(mask));
const shrink = () => all((faces, mask) => faces.shrunk(mask));
const invert = () => all((faces, mask) => faces.inverted(mask));

function hide() {
  bench.hidden.value = changed(bench.hidden.value, bench.faces.value, 'add');
  bench.pick(new Map());
}
const key = (node: number) => bench.nodes.value.find((n) => n.node === node)?.key;
const named = computed(() =>
  each.value.map(({ node, mask }) => ({ part: key(node), faces: faceText(mask), count: mask.reduce((n, x) => n + x, 0) })),
);
/** How much of the stage the bar takes: the model is drawn in what is left, so that nothing which is pointed at lies below it. */
const root = ref<HTMLElement>();
const sizes = new ResizeObserver(() => emit('tall', root.value?.offsetHeight ?? 0));
onMounted(() => sizes.observe(root.value!));
onBeforeUnmount(() => (sizes.disconnect(), emit('tall', 0)));
/** Why an act cannot be done with what is picked. */
const lacks = computed(() => {
  if (!act.value) return '';
  if (!told.value.count) return 'Point at faces first.';
  if (named.value.some((n) => !n.part)) return 'Reading the names of the parts …';
  if (wantsOne(act.value) && told.value.count > 1) return 'Point at one face for this.';
  if ((wantsPart(act.value) || aside.value) && each.value.length > 1) return 'Point at faces of one part for this.';
  return '';
});
function open(m: MendFacts, apart = false) {
  const again = act.value === m && aside.value === apart;
  act.value = again ? null : m;
  aside.value = apart;
  for (const k of Object.keys(form)) delete form[k];
  for (const f of act.value ? fieldsOf(act.value) : [])
    form[f.name] = f.kind === 'colour' ? PLAIN : f.default === null ? (f.choices[0] ?? '') : String(f.default ?? '');
  if (apart) form.name = 'aside';
  ask();
}
function ask() {
  const what = act.value && asksFor(act.value);
  bench.asking.value = what ? { what, found: [] } : null;
}
/** What is pointed at for a field goes into it. */
watch(bench.asking, (a) => {
  if (!a || !act.value) return;
  if (a.what === 'material' && a.found[0]) {
    const field = fieldsOf(act.value).find((f) => f.kind === 'material');
    if (field) form[field.name] = a.found[0];
    bench.asking.value = null;
  } else if (a.what !== 'material')
    fieldsOf(act.value)
      .filter((f) => f.kind === 'rim' || f.kind === 'vertex')
      .forEach((f, k) => (form[f.name] = a.found[k] ?? ''));
});
const calls = computed(() => {
  const m = act.value;
  if (!m || lacks.value) return [];
  const made = named.value.map(({ part, faces }) => callOf(m, { ...form }, faces, part!));
  return made.some((x) => x === null) ? [] : made.map((params) => ({ mend: m.id, params: params! }));
});
function lay() {
  bench.putAll(calls.value);
  // Split off, and said to be not of the thing: it counts for nothing and stays behind when it is written.
  if (aside.value) {
    const intent = bench.bench.value!.intent;
    bench.change.mutate({ intent: { ...intent, parts: { ...intent.parts, [form.name!]: { role: 'aside' } } } });
  }
  done();
}
function tryIt() {
  const [call] = calls.value;
  if (call) void bench.trial.tryOut(call.mend, call.params);
}
function done() {
  act.value = null;
  bench.asking.value = null;
}
function leave() {
  if (act.value) return done();
  if (told.value.count) return bench.pick(new Map());
  bench.picking.value = false;
}
watch(bench.faces, ask);
const byKey = (k: string) => HOW[Number(k) - 1]?.[0];
useKeys('Faces', [
  {
    keys: ['1', '2', '3', '4', '5', '6', '7', '8'],
    says: 'how to point: one, drawn, box, flat, slot, piece, island, strip',
    run: (e) => (bench.how.value = byKey(e.key)!),
  },
  {
    keys: ['Enter'],
    says: 'on the stage: pick at the cross that the arrows move (Shift in leaps, Ctrl by pixels); Shift adds, Ctrl takes away',
    run: () => undefined,
  },
  { keys: ['PageUp', 'PageDown'], says: 'grow, shrink', run: (e) => (e.key === 'PageUp' ? grow() : shrink()) },
  { keys: ['Home'], says: 'invert', run: invert },
  { keys: ['Backspace'], says: 'take the last step of a pick back', run: bench.back },
  { keys: ['Escape'], says: 'put down what is picked, then the picking', run: leave },
]);
</script>

<template>
  <span
    v-if="told.count && bench.at.value"
    class="at mono"
    aria-hidden="true"
    :style="{ transform: `translate(${bench.at.value.x + 14}px, ${bench.at.value.y - 10}px)` }"
    >{{ told.count.toLocaleString('en') }} · {{ square(told.area) }} · {{ list(told.names, 1) }}</span
  >
  <div ref="root" class="picks" role="region" aria-label="Faces that are pointed at">
    <p class="told" role="status">
      <template v-if="told.count"
        ><b class="mono">{{ told.count.toLocaleString('en') }}</b> {{ told.count === 1 ? 'face' : 'faces' }} of
        {{ list(parts.split(', '), 2) }}, <span class="mono">{{ square(told.area) }}</span><template v-if="told.size"
          >, {{ told.size.map((x) => length(Number(x.toPrecision(3)))).join(' × ') }}</template
        >; {{ list(told.names, 3) }}<span v-if="told.images.length" class="faded"> ({{ list(told.images, 3) }})</span></template
      ><template v-else
        >{{ bench.asking.value ? '' : HOWS[bench.how.value].says
        }}<span v-if="!bench.asking.value" class="faded">; Shift adds, Ctrl takes away</span></template
      >
    </p>
    <div class="row" role="group" aria-label="How to point">
      <button v-for="[h, x] in HOW" :key="h" :aria-pressed="bench.how.value === h" :title="x.says" @click="bench.how.value = h">
        {{ x.name }}
      </button>
      <label v-if="bench.how.value === 'flat'" class="small"
        >within
        <input
          v-model.number="bench.degrees.value"
          type="number"
          min="0"
          max="180"
          step="1"
          aria-label="Degrees that flat may bend"
        />°</label
      >
      <label v-if="bench.how.value === 'drawn' || bench.how.value === 'box'" class="small"
        ><input v-model="bench.through.value" type="checkbox" /> hidden too</label
      >
      <i />
      <button v-for="[a, words] in ADDING" :key="a" :aria-pressed="bench.adding.value === a" @click="bench.adding.value = a">
        {{ words }}
      </button>
      <i />
      <button :disabled="!told.count" @click="grow">grow</button><button :disabled="!told.count" @click="shrink">shrink</button
      ><button :disabled="!told.count" @click="invert">invert</button>
      <button v-if="marked" @click="takeMarked">what is marked</button>
      <select v-if="sets.length" aria-label="Named sets of faces" @change="takeSet">
        <option value="">named set …</option>
        <option v-for="(s, k) in sets" :key="k" :value="k">{{ s.name }}</option>
      </select>
      <button :disabled="!bench.past.value.length" title="Take the last step of the pick back" @click="bench.back">back</button
      ><button :disabled="!bench.future.value.length" @click="bench.forth">again</button>
    </div>
    <div class="row" role="group" aria-label="What to do with them">
      <button v-for="a in acts" :key="a.id" :aria-pressed="act === a && !aside" :disabled="!told.count" :title="a.does" @click="open(a)">
        {{ a.menu!.says }}
      </button>
      <button
        v-for="a in acts.filter((x) => x.id === 'surface.split-off')"
        :key="`${a.id} aside`"
        :aria-pressed="act === a && aside"
        :disabled="!told.count"
        title="Splits these faces off and says that they are not of the thing: they count for nothing and stay behind when it is written"
        @click="open(a, true)"
      >
        set aside
      </button>
      <button :disabled="!told.count" title="Out of sight on the stage alone" @click="hide">hide</button>
      <button v-if="bench.hidden.value.size" @click="bench.hidden.value = new Map()">show all</button>
      <i /><button @click="bench.picking.value = false">done</button>
    </div>
    <form v-if="act" class="act" @submit.prevent="lay">
      <p>
        {{ lacks || act.does }} <span v-if="!lacks" class="small faded">Costs {{ act.costs }}.</span>
      </p>
      <template v-if="!lacks">
        <p v-if="bench.asking.value" class="small" role="status">{{ ASKING[bench.asking.value.what] }}</p>
        <label v-for="f in fieldsOf(act)" :key="f.name" :title="f.says"
          >{{ f.name.replaceAll('_', ' ') }}
          <select v-if="f.kind === 'choice'" v-model="form[f.name]">
            <option v-for="c in f.choices" :key="c" :value="c">{{ c }}</option>
          </select>
          <template v-else-if="f.kind === 'material'">
            <input v-model="form[f.name]" list="materials" :aria-label="f.name" autocomplete="off" /><datalist id="materials">
              <option v-for="m in model?.materials ?? []" :key="m" :value="m" /></datalist
            ><button
              type="button"
              :aria-pressed="bench.asking.value?.what === 'material'"
              @click="bench.asking.value = bench.asking.value ? null : { what: 'material', found: [] }"
            >
              take it from a face
            </button></template
          >
          <input v-else v-model="form[f.name]" :type="f.kind === 'colour' ? 'color' : 'text'" :class="f.kind" autocomplete="off" />
        </label>
        <button type="button" class="btn" :disabled="calls.length !== 1" @click="tryIt">Try it</button>
        <button type="submit" class="btn main" :disabled="!calls.length">Put on the tape</button>
      </template>
      <button type="button" class="btn" @click="done">Leave it</button>
    </form>
  </div>
</template>

<style scoped>
.at {
  position: absolute;
  left: 0;
  top: 0;
  padding: 0 5px;
  font-size: 12px;
  white-space: nowrap;
  background: var(--hl-sheet);
  border: 1px solid var(--hl-rule-strong);
  border-radius: 2px;
  pointer-events: none;
}
.picks {
  position: absolute;
  left: 0;
  right: 0;
  bottom: 0;
  display: grid;
  gap: 2px;
  padding: 6px 10px;
  background: var(--hl-sheet);
  border-top: 1.5px solid var(--hl-ink);
  font-size: 12.5px;
}
.told {
  min-height: 18px;
}
.row {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 0 1px;
}
.row i {
  width: 1px;
  height: 15px;
  margin: 0 4px;
  background: var(--hl-rule-strong);
}
button:not(.btn) {
  border: 0;
  border-bottom: 2px solid transparent;
  background: none;
  padding: 0 6px;
  min-height: 24px;
  font: inherit;
  color: var(--hl-ink-soft);
  cursor: pointer;
}
button:not(.btn):hover {
  color: var(--hl-ink);
}
button:not(.btn)[aria-pressed='true'] {
  color: var(--hl-ink);
  font-weight: 700;
  border-bottom-color: var(--hl-verdigris);
}
button:disabled {
  opacity: 0.45;
  cursor: default;
}
select,
input:not([type='checkbox']) {
  font: inherit;
  border: 0;
  border-bottom: 1px solid var(--hl-rule-strong);
  background: transparent;
  min-height: 24px;
}
input.number,
input.vertex {
  width: 58px;
}
input[type='number'] {
  width: 46px;
}
.act {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 4px 12px;
  padding-top: 4px;
  border-top: 1px solid var(--hl-rule);
}
.act p {
  flex-basis: 100%;
}
</style>
