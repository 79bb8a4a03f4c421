<script setup lang="ts">
import Column from 'primevue/column';
import DataTable from 'primevue/datatable';
import { computed, ref, watch } from 'vue';
import type { Table } from '../api/client';
import CutName from '../ui/CutName.vue';
import ResultMark from '../ui/ResultMark.vue';
import MaterialSwatch from './MaterialSwatch.vue';
import { useBench } from './useBench';

type Row = Table['rows'][number];
const props = defineProps<{ table: Table; short: boolean; station: string }>();
const state = useBench('reading', 'selection', 'choices', 'changes', 'tape', 'marks');
const emit = defineEmits<{ form: [mend: string, parts: string[]] }>();
const find = ref('');
const byPart = computed(() => props.table.rows.some((r) => typeof r.node === 'number'));
/** Rows that are of parts can be ticked and mended together; those of joints and channels are only chosen. */
const ofParts = computed(() => byPart.value && !['joints', 'channels'].includes(props.table.key));
const things = computed(() => (ofParts.value ? 'parts' : props.table.key));
const withResult = computed(() => props.table.rows.some((r) => r.result));
const withMend = computed(() => props.table.rows.some((r) => r.mend));
/** What a column of words may take: what those of figures leave, shared. A long name gives way, in its middle, before a figure does. */
const room = computed(() => {
  const words = props.table.columns.filter((c) => !c.number).length;
  const others = 62 * (props.table.columns.length - words) + 28 * Number(ofParts.value) + 22 * Number(withResult.value);
  const acts = 96 * Number(withKey.value) + 48 * Number(withMend.value);
  return { '--words': Math.max(1, words), '--others': `${others + acts}px` };
});
const rows = computed(() =>
  props.table.rows.filter(
    (r) =>
      !find.value ||
      Object.values(r.cells)
        .map((c) => c.text)
        .join(' ')
        .toLowerCase()
        .includes(find.value.toLowerCase()),
  ),
);
const long = computed(() => rows.value.length > (props.short ? 7 : 60));
/** Figures sort by the number behind them, whatever unit they are written in; where there is none they stand first. */
const sorted = (key: string, isNumber: boolean) =>
  ((row: Row) => (isNumber ? (row.cells[key]?.value ?? -Infinity) : (row.cells[key]?.text ?? ''))) as unknown as (row: Row) => string;

// Rows that are ticked: one mend for all of them. They are kept by key, so that a new reading leaves them ticked.
const ticked = ref(new Set<string>());
const chosen = computed({
  get: () => props.table.rows.filter((r) => r.key && ticked.value.has(r.key)),
  set: (all: Row[]) => (ticked.value = new Set(all.flatMap((r) => (r.key ? [r.key] : [])))),
});
watch(
  () => props.table.title,
  () => (ticked.value = new Set()),
);
const keys = computed(() => chosen.value.map((r) => r.key!));
/** Mends of this station that can be kept to some parts; those that ask for more open the form. Some are on every table. */
const mends = computed(() =>
  (state.catalogue.value?.mends ?? []).filter(
    (m) => m.parameters.some((p) => p.kind === 'parts') && (m.id.startsWith(`${props.station}.`) || m.menu?.place === 'tables'),
  ),
);
/** The field of the intent that the chosen parts can be given here. */
const asked = computed(() => state.catalogue.value?.intent.find((f) => f.name === props.table.asks));
/** Says it of the chosen parts; the model's own word holds for those that it says nothing of. */
function say(event: Event) {
  const word = (event.target as HTMLSelectElement).value;
  const intent = state.bench.value!.intent;
  const parts = { ...intent.parts };
  for (const r of chosen.value) {
    const name = r.cells.part!.text;
    parts[name] = { ...(parts[name] as object | undefined), [props.table.asks!]: word };
  }
  state.change.mutate({ intent: { ...intent, parts } });
}
function use(id: string) {
  const m = mends.value.find((x) => x.id === id)!;
  if (m.parameters.every((p) => p.kind === 'parts' || p.default !== null)) state.put(id, { parts: keys.value });
  else emit('form', id, keys.value);
}
const withKey = computed(() => props.table.rows.some((r) => r.side_key));
const matters = computed(() => new Set(state.bench.value?.intent.side_keys ?? []));
/** Says that every value under a key of a side file must be a name of the model, or no longer. */
function point(key: string) {
  const keys = new Set(matters.value);
  if (!keys.delete(key)) keys.add(key);
  state.change.mutate({ intent: { ...state.bench.value!.intent, side_keys: [...keys] } });
}
/** A row of a material lights up its faces. */
const litMaterial = computed(() => state.spot.value?.materials?.[0] ?? null);
function light(k: number) {
  state.spot.value = litMaterial.value === k ? null : { node: -1, faces: [], materials: [k] };
}
const lit = computed(() => new Set(state.marked.value?.nodes ?? []));
const look = (r: Row) => ({
  shown: typeof r.node === 'number' && r.node === state.part.value,
  lit: (typeof r.node === 'number' && lit.value.has(r.node)) || (typeof r.material === 'number' && r.material === litMaterial.value),
});
const isolate = ({ data }: { data: Row }) =>
  typeof data.node === 'number' && state.isolate(data.node === state.part.value ? null : data.node);
</script>

<template>
  <section class="table" :style="room">
    <div v-if="byPart && table.total > 8" class="head">
      <input
        v-model="find"
        type="search"
        :placeholder="`Find among ${table.total.toLocaleString('en')} ${things}`"
        :aria-label="`Find in ${table.title}`"
      />
      <span v-if="table.total > table.rows.length" class="faded small"
        >the first {{ table.rows.length.toLocaleString('en') }} are listed</span
      >
    </div>
    <DataTable
      v-model:selection="chosen"
      :value="rows"
      size="small"
      :scrollable="long"
      :scroll-height="long ? (short ? '152px' : '248px') : undefined"
      :row-class="look"
      :data-key="byPart ? 'key' : undefined"
      :virtual-scroller-options="rows.length > 60 ? { itemSize: 25 } : undefined"
      :aria-label="table.title"
      :class="{ parts: byPart, wraps: rows.length <= 60 }"
      @row-click="byPart && isolate($event)"
    >
      <Column
        v-if="ofParts"
        selection-mode="multiple"
        header-class="tick"
        body-class="tick"
        :pt="{ pcHeaderCheckbox: { input: { 'aria-label': 'Choose all parts' } } }"
      />
      <Column v-if="withResult" header="" header-class="mark" body-class="mark"
        ><template #body="{ data }"><ResultMark v-if="data.result" :result="data.result" :size="13" /></template
      ></Column>
      <Column
        v-for="(c, k) in table.columns"
        :key="c.key"
        :header="c.heading"
        :field="sorted(c.key, c.number)"
        :sortable="byPart"
        :header-class="c.number ? 'num' : ''"
        :body-class="c.number ? 'num' : ''"
      >
        <template #body="{ data }">
          <button
            v-if="byPart && k === 0 && typeof data.node === 'number'"
            class="name"
            :aria-pressed="data.node === state.part.value"
            @click.stop="isolate({ data })"
          >
            <CutName :text="data.cells[c.key]?.text ?? ''" />
          </button>
          <button
            v-else-if="k === 0 && typeof data.material === 'number'"
            class="name swatched"
            :aria-pressed="litMaterial === data.material"
            title="Light up its faces"
            @click.stop="light(data.material)"
          >
            <MaterialSwatch :material="data.material" /><CutName :text="data.cells[c.key]?.text ?? ''" />
          </button>
          <CutName v-else :text="data.cells[c.key]?.text ?? ''" />
        </template>
      </Column>
      <Column v-if="withMend" header="" body-class="num">
        <template #body="{ data }">
          <button
            v-if="data.mend"
            class="btn plain"
            :disabled="state.onTape(data.mend.mend, data.mend.params)"
            @click.stop="state.put(data.mend.mend, data.mend.params)"
          >
            {{ state.onTape(data.mend.mend, data.mend.params) ? 'on the tape' : 'use' }}
          </button>
        </template>
      </Column>
      <Column v-if="withKey" header="">
        <template #body="{ data }">
          <button
            v-if="data.side_key"
            class="btn plain"
            :aria-pressed="matters.has(data.side_key)"
            :title="`Every value under ${data.side_key} must be a name of the model`"
            @click.stop="point(data.side_key)"
          >
            {{ matters.has(data.side_key) ? 'matters' : 'let it matter' }}
          </button>
        </template>
      </Column>
      <template #empty
        ><span class="faded">{{ find ? `None of the ${things} goes by that.` : 'Nothing to list.' }}</span></template
      >
    </DataTable>
    <div v-if="chosen.length" class="chosen" role="group" aria-label="For the chosen parts">
      <b>{{ chosen.length.toLocaleString('en') }} chosen</b>
      <button v-for="m in mends" :key="m.id" class="btn" :disabled="state.lay.isPending.value" @click="use(m.id)">
        {{ m.title }}{{ m.parameters.every((p) => p.kind === 'parts' || p.default !== null) ? '' : ' …' }}
      </button>
      <label v-if="asked"
        >{{ asked.title.toLowerCase() }}
        <select class="from" :aria-label="`${asked.title}, of the chosen parts`" value="" @change="say">
          <option value="" disabled>…</option>
          <option v-for="c in asked.choices" :key="c.value" :value="c.value">{{ c.words }}</option>
        </select></label
      >
      <button class="btn plain" @click="chosen = []">Choose none</button>
    </div>
  </section>
</template>

<style scoped>
.table {
  container-type: inline-size;
}
.table :deep(td:not(.num, .tick, .mark)) {
  max-width: max(64px, calc((100cqw - var(--others)) / var(--words)));
}
.head,
.chosen {
  display: flex;
  gap: 3px 8px;
  align-items: center;
  padding: 2px 0;
  flex-wrap: wrap;
  font-size: 13px;
}
input[type='search'] {
  border: 0;
  border-bottom: 1px solid var(--hl-rule-strong);
  background: none;
  height: 24px;
  font-size: 13px;
  width: 200px;
}
input::placeholder {
  color: var(--hl-ink-faded);
}
.from {
  min-height: 24px;
  border: 0;
  border-bottom: 1px solid var(--hl-rule-strong);
  background: var(--hl-sheet);
  font: 500 13px var(--hl-font-text);
}
.parts :deep(tbody tr) {
  cursor: pointer;
}
.parts :deep(tr.shown td) {
  background: var(--hl-verdigris-wash);
}
.parts :deep(tr.lit td) {
  box-shadow: inset 0 -2px 0 var(--hl-ink);
}
.table :deep(.mark) {
  width: 20px;
  padding-left: 2px;
  padding-right: 2px;
}
.parts :deep(.tick) {
  width: 28px;
  padding-left: 2px;
  padding-right: 2px;
}
.parts :deep(.p-checkbox),
.parts :deep(.p-checkbox-box) {
  width: 15px;
  height: 15px;
}
.name {
  border: 0;
  background: none;
  padding: 0;
  min-height: 24px;
  font: inherit;
  text-align: left;
  cursor: pointer;
  color: inherit;
}
.swatched {
  display: inline-flex;
  align-items: center;
  gap: 6px;
  max-width: 100%;
}
.name:hover,
.name[aria-pressed='true'] {
  text-decoration: underline;
  text-underline-offset: 3px;
}
</style>
