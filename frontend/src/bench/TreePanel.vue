<script setup lang="ts">
// The nodes as a tree: picked one by one, as a range, by slot or mesh, or with a frame on the stage; hidden, alone, dimmed; mended.
import VirtualScroller from 'primevue/virtualscroller';
import { computed, nextTick, ref, watch } from 'vue';
import type { Finding, PartIntent, TreeNode } from '../api/client';
import CutName from '../ui/CutName.vue';
import ResultMark from '../ui/ResultMark.vue';
import MendForm from './MendForm.vue';
import { rangeOf, withBelow } from './pieces/ways';
import { useBench } from './useBench';

const state = useBench('reading', 'selection', 'choices', 'changes', 'tape', 'ways');
const HEIGHT = 25;
const find = ref('');
const closed = ref(new Set<number>());
const at = ref<number | null>(null);
let anchor: number | null = null;
const scroller = ref<{ scrollToIndex: (k: number) => void }>();

const holders = computed(() => new Set(state.nodes.value.map((n) => n.parent)));
const rows = computed(() => {
  const text = find.value.trim().toLowerCase();
  if (text) return state.nodes.value.filter((n) => [n.name, ...n.slots, ...n.tags].join(' ').toLowerCase().includes(text));
  const gone = withBelow(state.nodes.value, closed.value);
  return state.nodes.value.filter((n) => !gone.has(n.node) || closed.value.has(n.node)).filter((n) => !gone.has(n.parent));
});
const byNode = computed(() => new Map(state.nodes.value.map((n) => [n.node, n])));
/** The worst finding of each node, and of its branch where that is closed. */
const worst = computed(() => {
  const rank = ['stop', 'caution', 'note'];
  const out = new Map<number, string>();
  for (const f of state.findings.value) {
    if (f.node === null || f.waived) continue;
    for (let n: TreeNode | undefined = byNode.value.get(f.node), own = true; n; n = byNode.value.get(n.parent), own = false) {
      if (!own && !closed.value.has(n.node)) continue;
      const known = out.get(n.node);
      if (known === undefined || rank.indexOf(f.result) < rank.indexOf(known)) out.set(n.node, f.result);
    }
  }
  return out;
});
const picked = computed(() => state.nodes.value.filter((n) => state.picked.value.has(n.node)));
const keys = computed(() => picked.value.map((n) => n.key));
const branch = computed(() => withBelow(state.nodes.value, state.picked.value));
const own = computed<Finding[]>(() => state.findings.value.filter((f) => f.node !== null && branch.value.has(f.node) && !f.waived));
const triangles = computed(() => state.nodes.value.reduce((n, r) => n + (branch.value.has(r.node) ? r.triangles : 0), 0));

function pick(node: number, how: 'only' | 'more' | 'range') {
  const next = how === 'only' ? new Set<number>() : new Set(state.picked.value);
  if (how === 'range') for (const n of rangeOf(rows.value, anchor ?? node, node)) next.add(n);
  else if (how === 'more' && next.has(node)) next.delete(node);
  else next.add(node);
  if (how !== 'range') anchor = node;
  at.value = node;
  state.picked.value = next;
}
const press = (e: MouseEvent, n: TreeNode) => pick(n.node, e.shiftKey ? 'range' : e.ctrlKey || e.metaKey ? 'more' : 'only');
function fold(n: TreeNode, shut = !closed.value.has(n.node)) {
  const next = new Set(closed.value);
  if (shut && holders.value.has(n.node)) next.add(n.node);
  else next.delete(n.node);
  closed.value = next;
}
function key(e: KeyboardEvent) {
  const k = rows.value.findIndex((r) => r.node === at.value);
  const n = rows.value[k];
  const go = (to: number) => {
    const next = rows.value[Math.max(0, Math.min(rows.value.length - 1, to))];
    if (!next) return;
    pick(next.node, e.shiftKey ? 'range' : 'only');
    void nextTick(() => {
      const el = document.getElementById(`tree-${next.node}`);
      if (el) el.scrollIntoView({ block: 'nearest' });
      else scroller.value?.scrollToIndex(rows.value.indexOf(next));
    });
  };
  if (e.key === 'ArrowDown') go(k + 1);
  else if (e.key === 'ArrowUp') go(k < 0 ? 0 : k - 1);
  else if (e.key === 'Home') go(0);
  else if (e.key === 'End') go(rows.value.length - 1);
  else if (e.key === 'ArrowLeft' && n) {
    if (holders.value.has(n.node) && !closed.value.has(n.node)) fold(n, true);
    else if (n.parent >= 0) go(rows.value.findIndex((r) => r.node === n.parent));
  } else if (e.key === 'ArrowRight' && n) fold(n, false);
  else if (e.key === 'F2' && n) rename(n);
  else if (e.key === ' ' && n) pick(n.node, 'more');
  else if (e.key === 'a' && (e.ctrlKey || e.metaKey)) state.picked.value = new Set(rows.value.map((r) => r.node));
  else if (e.key === 'Escape' && state.picked.value.size) state.picked.value = new Set();
  else return;
  e.preventDefault();
  e.stopPropagation();
}
/** The node whose name is being typed, and what is typed. */
const naming = ref<number | null>(null);
const draft = ref('');
function rename(n: TreeNode) {
  // Without a name of its own it shows its mesh's, or its number: that is nothing to be searched for.
  if (!n.named) return;
  draft.value = n.name;
  naming.value = n.node;
}
function focusOn(el: HTMLInputElement | null) {
  if (!el || document.activeElement === el) return;
  el.focus();
  el.select();
}
function named(e: KeyboardEvent) {
  const n = byNode.value.get(naming.value ?? -1);
  if (e.key === 'Enter' && n) {
    const to = draft.value.trim();
    if (to && to !== n.name) {
      const search = `^${n.name.replace(/[.*+?^${}()|[\]\\]/g, '\\$&')}$`;
      state.put('arrival.rename', { search, replace: to.replace(/\\/g, '\\\\'), pattern: true, parts: [n.key] });
    }
  }
  if (e.key !== 'Enter' && e.key !== 'Escape') return;
  e.preventDefault();
  naming.value = null;
  document.querySelector<HTMLElement>('.tree')?.focus();
}
/** Layers and tags of the source: a way to pick what belongs together. */
const tags = computed(() => [...new Set(state.nodes.value.flatMap((n) => n.tags))].sort());
function tagged(event: Event) {
  const tag = (event.target as HTMLSelectElement).value;
  (event.target as HTMLSelectElement).value = '';
  if (tag) state.picked.value = new Set(state.nodes.value.filter((n) => n.tags.includes(tag)).map((n) => n.node));
}
function alike(what: 'slot' | 'mesh') {
  const slots = new Set(picked.value.flatMap((n) => n.slots));
  const meshes = new Set(picked.value.map((n) => n.mesh));
  const same = (n: TreeNode) => (what === 'slot' ? n.slots.some((s) => slots.has(s)) : n.mesh !== null && meshes.has(n.mesh));
  state.picked.value = new Set(state.nodes.value.filter(same).map((n) => n.node));
}
function sight(hide: boolean) {
  const next = new Set(state.unseen.value);
  for (const n of branch.value) {
    if (hide) next.add(n);
    else next.delete(n);
  }
  state.unseen.value = next;
}
// What was framed on the stage is brought into view in the list.
watch(state.picked, (now) => {
  const first = rows.value.findIndex((r) => now.has(r.node));
  if (now.size && at.value !== null && !now.has(at.value)) at.value = rows.value[first]?.node ?? null;
});

const adding = ref(false);
const asked = ref('');
function form(mend: string) {
  asked.value = mend;
  adding.value = true;
}
const put = (mend: string, params: Record<string, unknown> = {}) => state.put(mend, { parts: keys.value, ...params });
/** Mends that have a button for picked nodes; one that ends in an ellipsis asks first. */
const menu = computed(() => (state.catalogue.value?.mends ?? []).filter((m) => m.menu?.place === 'tree'));
const use = (mend: string, says: string) => (says.endsWith('…') ? form(mend) : put(mend));
const roles = computed(() => state.catalogue.value?.parts.find((f) => f.name === 'role')?.choices ?? []);
const seen = computed(() => state.catalogue.value?.parts.find((f) => f.name === 'seen_from')?.choices ?? []);
/** Says it of parts; what was said of them otherwise stays. */
function say(nodes: TreeNode[], what: Pick<PartIntent, 'role' | 'seen_from'>) {
  const intent = state.bench.value!.intent;
  const parts = { ...intent.parts };
  for (const n of nodes) parts[n.name] = { ...parts[n.name], ...what };
  state.change.mutate({ intent: { ...intent, parts } });
}
function sayPicked(event: Event) {
  const [field, word] = (event.target as HTMLSelectElement).value.split(':') as ['role' | 'seen_from', string];
  (event.target as HTMLSelectElement).value = '';
  say(
    picked.value.filter((n) => n.mesh !== null),
    { [field]: word } as Pick<PartIntent, 'role' | 'seen_from'>,
  );
}
const proposed = computed(() => state.nodes.value.filter((n) => n.proposed));
const roleWords = (role: string | null) => (role ? (roles.value.find((r) => r.value === role)?.words ?? role).split(':')[0]! : '');
const turned = (n: TreeNode) => {
  const s = n.scale;
  const even = Math.max(...s) - Math.min(...s) < 1e-4 * Math.max(...s.map(Math.abs));
  const three = (x: number) => Number(x.toPrecision(3)).toString().replace('-', '−');
  const scale = s.every((x) => Math.abs(x - 1) < 1e-4) ? '' : even ? `× ${three(s[0]!)}` : `× ${s.map(three).join(', ')}`;
  return [scale, n.angle > 0.005 ? `${three(n.angle)}°` : '', n.mirrored ? 'mirrored' : '', n.skinned ? 'skinned' : '']
    .filter(Boolean)
    .join(' · ');
};
</script>

<template>
  <section class="panel" aria-label="Tree of nodes">
    <div class="head">
      <input v-model="find" type="search" placeholder="Find a node or slot" aria-label="Find a node or slot" />
      <select v-if="tags.length" aria-label="Layers and tags" @change="tagged">
        <option value="">layer …</option>
        <option v-for="t in tags" :key="t" :value="t">{{ t }}</option>
      </select>
      <span class="faded small"
        >{{ (state.tree.value?.total ?? 0).toLocaleString('en') }} nodes<template
          v-if="(state.tree.value?.total ?? 0) > state.nodes.value.length"
          >, the first {{ state.nodes.value.length.toLocaleString('en') }} are listed</template
        ></span
      >
      <span class="grow" />
      <button v-if="state.unseen.value.size" class="btn" @click="state.unseen.value = new Set()">Show all</button>
    </div>
    <p v-if="state.treeError.value" class="stop" role="alert">{{ state.treeError.value.message }}</p>
    <p v-else-if="!state.tree.value" class="faded" role="status"><ResultMark result="pending" /> reading the tree …</p>
    <p v-else-if="!rows.length" class="faded">{{ find ? 'No node goes by that.' : 'The model has no nodes.' }}</p>
    <div v-if="rows.length" class="node cols faded" aria-hidden="true">
      <span class="name">Node</span><span>Own transform</span><span>Slot, or role</span><span class="num">Triangles</span><span />
    </div>
    <div
      v-if="state.tree.value && rows.length"
      class="tree"
      role="tree"
      aria-label="Nodes"
      aria-multiselectable="true"
      tabindex="0"
      :aria-activedescendant="at === null ? undefined : `tree-${at}`"
      @keydown="key"
    >
      <VirtualScroller
        ref="scroller"
        :items="rows"
        :item-size="HEIGHT"
        class="scroll"
        :tabindex="null as unknown as number"
        :pt="{ root: { role: 'group' } }"
      >
        <template #item="{ item }: { item: TreeNode }">
          <div
            :id="`tree-${item.node}`"
            class="node"
            role="treeitem"
            :aria-level="item.depth + 1"
            :aria-selected="state.picked.value.has(item.node)"
            :aria-expanded="holders.has(item.node) ? !closed.has(item.node) : undefined"
            :class="{ picked: state.picked.value.has(item.node), at: at === item.node, unseen: state.unseen.value.has(item.node) }"
            :style="{ height: `${HEIGHT}px` }"
            @click="press($event, item)"
            @dblclick="rename(item)"
          >
            <span class="name" :style="{ paddingLeft: `${Math.min(item.depth, 14) * 13}px` }">
              <span class="fold" aria-hidden="true" @click.stop="fold(item)">{{
                holders.has(item.node) ? (closed.has(item.node) ? '▸' : '▾') : ''
              }}</span>
              <input
                v-if="naming === item.node"
                :ref="(el) => focusOn(el as HTMLInputElement | null)"
                v-model="draft"
                class="naming"
                maxlength="200"
                autocomplete="off"
                :aria-label="`New name of ${item.name}`"
                @click.stop
                @keydown.stop="named"
                @blur="naming = null"
              />
              <CutName v-else :text="item.name" />
            </span>
            <span class="faded what" :title="turned(item)">{{ turned(item) }}</span>
            <span class="faded role" :title="item.role ? roleWords(item.role) : item.slots.join(', ')">{{
              item.role
                ? roleWords(item.role)
                : item.joint
                  ? 'joint'
                  : item.slots.length > 1
                    ? `${item.slots.length} slots`
                    : (item.slots[0] ?? '')
            }}</span>
            <span class="mono num">{{ item.triangles ? item.triangles.toLocaleString('en') : '' }}</span>
            <span class="mark"><ResultMark v-if="worst.get(item.node)" :result="worst.get(item.node)!" :size="12" /></span>
          </div>
        </template>
      </VirtualScroller>
    </div>
    <div v-if="proposed.length" class="proposed small">
      <template v-for="n in proposed.slice(0, 3)" :key="n.node">
        <span
          ><b>{{ n.name }}</b> may be {{ roleWords(n.proposed) }}: {{ n.because }}.</span
        >
        <button class="btn plain" @click="say([n], { role: n.proposed as PartIntent['role'] })">Say so</button>
        <button class="btn plain" @click="say([n], { role: 'thing' })">It is of the thing</button>
      </template>
      <span v-if="proposed.length > 3" class="faded">and {{ proposed.length - 3 }} more</span>
    </div>
    <div class="chosen" role="group" aria-label="For the picked nodes">
      <p class="small">
        <template v-if="picked.length"
          ><b>{{ picked.length.toLocaleString('en') }} picked</b> · {{ triangles.toLocaleString('en') }} triangles ·
          {{ own.length ? `${own.length} findings` : 'nothing found' }}</template
        ><span v-else class="faded">Pick nodes here, or draw a frame on the stage with Shift. Ctrl adds, Shift takes a range.</span>
      </p>
      <template v-if="picked.length">
        <div class="line">
          <button class="btn" @click="sight(true)">Hide</button>
          <button class="btn" @click="sight(false)">Show</button>
          <button
            class="btn"
            :aria-pressed="state.rest.value === 'gone'"
            @click="state.rest.value = state.rest.value === 'gone' ? 'shown' : 'gone'"
          >
            Alone
          </button>
          <button
            class="btn"
            :aria-pressed="state.rest.value === 'dimmed'"
            @click="state.rest.value = state.rest.value === 'dimmed' ? 'shown' : 'dimmed'"
          >
            Dim the rest
          </button>
          <button class="btn" @click="alike('slot')">Same slot</button>
          <button class="btn" @click="alike('mesh')">Same mesh</button>
          <select aria-label="What the picked parts are" class="say" @change="sayPicked">
            <option value="" selected disabled>They are …</option>
            <option v-for="c in roles" :key="c.value" :value="`role:${c.value}`">{{ c.words }}</option>
            <option v-for="c in seen" :key="c.value" :value="`seen_from:${c.value}`">seen {{ c.words }}</option>
          </select>
        </div>
        <div class="line">
          <button v-for="m in menu" :key="m.id" class="btn" :title="m.does" @click="use(m.id, m.menu!.says)">{{ m.menu!.says }}</button>
        </div>
        <ul v-if="own.length" class="own">
          <li v-for="f in own.slice(0, 12)" :key="f.id">
            <button class="btn plain" @click="state.show(f)"><ResultMark :result="f.result" :size="12" /> {{ f.title }}</button>
          </li>
          <li v-if="own.length > 12" class="faded small">and {{ own.length - 12 }} more</li>
        </ul>
      </template>
      <div v-else class="line">
        <button v-if="state.nodes.value.some((n) => n.hidden)" class="btn" @click="state.put('arrival.remove', { what: 'hidden' })">
          Remove hidden nodes
        </button>
      </div>
    </div>
    <MendForm v-model:visible="adding" :station="asked.split('.')[0] ?? ''" :mend="asked" :parts="keys" />
  </section>
</template>

<style scoped>
.panel {
  flex: 1;
  min-height: 0;
  display: flex;
  flex-direction: column;
  gap: 4px;
  padding: 6px 14px 8px 46px;
}
.head,
.line {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 6px;
  align-items: center;
}
input[type='search'] {
  border: 0;
  border-bottom: 1px solid var(--hl-rule-strong);
  background: none;
  height: 24px;
  font-size: 13px;
  width: 200px;
}
.naming {
  flex: 1;
  min-width: 0;
  height: 22px;
  border: 1px solid var(--hl-verdigris);
  border-radius: 2px;
  background: var(--hl-sheet);
  font: inherit;
  padding: 0 4px;
}
input::placeholder {
  color: var(--hl-ink-faded);
}
.tree {
  flex: 1 1 140px;
  min-height: 140px;
  position: relative;
  overflow: hidden;
  border-top: 1px solid var(--hl-rule-strong);
  border-bottom: 1px solid var(--hl-rule);
}
.scroll {
  position: absolute;
  inset: 0;
  height: auto;
}
.node {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 96px 92px 62px 20px;
  gap: 6px;
  align-items: center;
  border-bottom: 1px solid #eae2d2;
  font-size: 13px;
  cursor: default;
  user-select: none;
}
.cols {
  font-size: 12px;
  border: 0;
}
.node:not(.cols):hover {
  background: var(--hl-paper);
}
.node.picked {
  background: var(--hl-verdigris-wash);
}
.tree:focus-visible .node.at {
  box-shadow: inset 0 0 0 1.5px var(--hl-ink);
}
.node.unseen .name {
  text-decoration: line-through;
  color: var(--hl-ink-faded);
}
.name {
  display: flex;
  min-width: 0;
  align-items: center;
}
.fold {
  flex: none;
  width: 16px;
  text-align: center;
  color: var(--hl-ink-faded);
  cursor: pointer;
}
.what,
.role {
  font-size: 12px;
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
}
.num {
  text-align: right;
  font-size: 12.5px;
}
.mark {
  display: flex;
  justify-content: center;
}
.proposed {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 8px;
  align-items: center;
  border-left: 4px solid var(--hl-note-mark);
  padding-left: 8px;
}
.chosen {
  display: grid;
  gap: 5px;
  flex: none;
}
.say {
  min-height: 24px;
  border: 1px solid var(--hl-rule-strong);
  border-radius: 3px;
  background: var(--hl-sheet);
  font-size: 12.5px;
  max-width: 170px;
}
.own {
  list-style: none;
  margin: 0;
  padding: 0;
  max-height: 110px;
  overflow: auto;
}
.own .btn {
  height: auto;
  min-height: 24px;
  white-space: normal;
  text-align: left;
  text-decoration: none;
  color: var(--hl-ink);
}
</style>
