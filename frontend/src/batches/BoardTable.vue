<script setup lang="ts">
// Models × stations. One cell has the focus; arrows move it, Enter opens the Bench at its station, a click says what stands behind it.
import { useQuery } from '@tanstack/vue-query';
import Popover from 'primevue/popover';
import { computed, nextTick, ref } from 'vue';
import { useRouter } from 'vue-router';
import { api, type BatchModel, type BatchPage } from '../api/client';
import CutName from '../ui/CutName.vue';
import ResultCounts from '../ui/ResultCounts.vue';
import ResultMark from '../ui/ResultMark.vue';
import { step, verdictWords, word } from './batch';

const props = defineProps<{
  batch: number;
  rows: BatchModel[];
  stations: { slug: string; name: string; number: number }[];
  sums: BatchPage['stations'];
}>();
const chosen = defineModel<Set<number>>('chosen', { required: true });
const router = useRouter();
const at = ref<[number, number]>([0, 0]);
const over = ref<InstanceType<typeof Popover>>();
const asked = ref<{ row: BatchModel; slug: string } | null>(null);
const overTrial = ref<InstanceType<typeof Popover>>();
const trialOf = ref<BatchModel | null>(null);
const columns = computed(() => props.stations.length + 1);
const { data: found, isFetching } = useQuery({
  queryKey: computed(() => ['batch', props.batch, 'cell', asked.value?.row.model, asked.value?.slug]),
  queryFn: () => api.cellOf(props.batch, asked.value!.row.model, asked.value!.slug),
  enabled: computed(() => !!asked.value),
});
const station = (slug: string) => props.stations.find((s) => s.slug === slug)!;
const bench = (row: BatchModel, slug?: string) => `/bench/${row.revision}${slug ? `?station=${slug}` : ''}`;
const picture = (row: BatchModel) => (row.thumbnail ? `/api/revisions/${row.revision}/thumbnail?drawn=${row.thumbnail}` : '');
const cell = (row: BatchModel, slug: string) => row.stations[slug];
const worst = (row: BatchModel, slug: string) => {
  const c = cell(row, slug);
  return !c ? '' : c.stop || c.unlooked ? 'stop' : c.caution ? 'caution' : '';
};
function says(row: BatchModel, slug: string): string {
  const c = cell(row, slug);
  const name = `${row.name}, ${station(slug).name}: `;
  if (!c) return `${name}not yet`;
  if (c.unlooked) return `${name}not looked at`;
  const parts = [
    c.stop && `${c.stop} stop`,
    c.caution && `${c.caution} caution`,
    c.note && `${c.note} note`,
    c.waived && `${c.waived} waived`,
  ];
  return name + (parts.filter(Boolean).join(', ') || (c.nothing ? 'nothing to check' : 'clear'));
}
function show(event: Event, row: BatchModel, slug: string) {
  asked.value = { row, slug };
  over.value?.hide();
  void nextTick(() => over.value?.show(event));
}
function showTrial(event: Event, row: BatchModel) {
  if (!row.trial && !row.error) return;
  trialOf.value = row;
  overTrial.value?.hide();
  void nextTick(() => overTrial.value?.show(event));
}
const id = (r: number, c: number) => `cell-${r}-${c}`;
function key(e: KeyboardEvent, r: number, c: number) {
  const to = step(e.key, r, c, props.rows.length, columns.value);
  if (to) {
    e.preventDefault();
    at.value = to;
    document.getElementById(id(...to))?.focus();
  } else if (e.key === 'Enter' && props.rows[r]?.revision) {
    e.preventDefault();
    void router.push(bench(props.rows[r]!, props.stations[c]?.slug));
  }
}
function choose(model: number) {
  const next = new Set(chosen.value);
  if (!next.delete(model)) next.add(model);
  chosen.value = next;
}
const allChosen = computed(() => props.rows.length > 0 && props.rows.every((r) => chosen.value.has(r.model)));
function chooseAll() {
  chosen.value = allChosen.value ? new Set() : new Set(props.rows.map((r) => r.model));
}
const tab = (r: number, c: number) => (at.value[0] === r && at.value[1] === c ? 0 : -1);
</script>

<template>
  <table class="board" aria-label="Models by stations">
    <thead>
      <tr>
        <th class="tick"><input type="checkbox" :checked="allChosen" aria-label="Choose all that are shown" @change="chooseAll" /></th>
        <th class="who" scope="col">Model</th>
        <th v-for="s in stations" :key="s.slug" scope="col" class="station">
          <b>{{ s.number }}</b>{{ s.name }}
        </th>
        <th scope="col" class="verdict">Verdict</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="(row, r) in rows" :key="row.model" :class="{ chosen: chosen.has(row.model) }">
        <td class="tick">
          <input type="checkbox" :checked="chosen.has(row.model)" :aria-label="`Choose ${row.name}`" @change="choose(row.model)" />
        </td>
        <th class="who" scope="row">
          <span class="model"
            ><img v-if="picture(row)" :src="picture(row)" alt="" width="44" height="36" loading="lazy" /><span v-else class="blank" />
            <RouterLink v-if="row.revision" :to="bench(row)"><CutName :text="row.name" /></RouterLink
          ></span>
        </th>
        <td
          v-for="(s, c) in stations"
          :id="id(r, c)"
          :key="s.slug"
          class="cell"
          :class="worst(row, s.slug)"
          :tabindex="tab(r, c)"
          :aria-label="says(row, s.slug)"
          @click="show($event, row, s.slug)"
          @focus="at = [r, c]"
          @keydown="key($event, r, c)"
        >
          <ResultMark v-if="!cell(row, s.slug)" result="pending" />
          <template v-else>
            <span v-if="cell(row, s.slug)!.waived" class="waived">{{ cell(row, s.slug)!.waived }}<ResultMark result="waived" /></span>
            <span v-if="cell(row, s.slug)!.unlooked" class="stop small">not looked at</span>
            <ResultMark v-else-if="cell(row, s.slug)!.nothing" result="nothing" />
            <ResultCounts
              v-else-if="worst(row, s.slug) || !cell(row, s.slug)!.waived"
              :counts="cell(row, s.slug)!"
              :size="12"
              class="tight"
            />
          </template>
        </td>
        <td
          :id="id(r, stations.length)"
          class="verdict"
          :tabindex="tab(r, stations.length)"
          :title="row.error ?? (row.verdict ? verdictWords(row.verdict) : '')"
          :class="{ asks: row.trial || row.error }"
          @click="showTrial($event, row)"
          @focus="at = [r, stations.length]"
          @keydown="key($event, r, stations.length)"
        >
          <span v-if="row.trial" class="trial">
            <template v-if="row.trial.verdict"
              ><ResultCounts :counts="row.trial.verdict" :size="11" worst-only /><em>{{
                row.trial.helps ? 'helps' : 'no better'
              }}</em></template
            ></span
          ><b v-else :class="word(row)">{{ word(row) }}</b>
        </td>
      </tr>
    </tbody>
    <tfoot>
      <tr>
        <td class="tick" />
        <th class="who" scope="row">Stops and cautions</th>
        <td v-for="s in stations" :key="s.slug" class="sum">
          <ResultCounts
            v-if="sums[s.slug]?.stop || sums[s.slug]?.caution"
            :counts="{ stop: sums[s.slug]!.stop, caution: sums[s.slug]!.caution, note: 0 }"
            :size="11"
            class="tight"
          /><ResultMark v-else result="nothing" />
        </td>
        <td />
      </tr>
    </tfoot>
  </table>
  <Popover ref="overTrial" :aria-label="trialOf ? `What was tried on ${trialOf.name}` : 'Trial'">
    <div v-if="trialOf" class="behind">
      <h3>{{ trialOf.name }}</h3>
      <p v-if="trialOf.error" class="stop small">{{ trialOf.error }}</p>
      <template v-if="trialOf.trial">
        <p v-if="trialOf.trial.verdict" class="small">It would stand at {{ verdictWords(trialOf.trial.verdict) }}.</p>
        <template
          v-for="[what, list] in [
            ['Mends', trialOf.trial.slips],
            ['Goes', trialOf.trial.goes],
            ['Comes', trialOf.trial.comes],
            ['Left', trialOf.trial.left],
            ['Not said yet', trialOf.trial.asks],
          ] as [string, string[]][]"
          :key="what"
        >
          <p v-if="list.length" class="small">
            <b>{{ what }}:</b> {{ list.slice(0, 8).join('; ') }}{{ list.length > 8 ? ` and ${list.length - 8} more` : '' }}
          </p>
        </template>
        <p v-if="!trialOf.trial.slips.length" class="faded small">Nothing that is offered helps it.</p>
      </template>
      <RouterLink v-if="trialOf.revision" class="btn" :to="bench(trialOf)">Open on the Bench</RouterLink>
    </div>
  </Popover>
  <Popover ref="over" :aria-label="asked ? says(asked.row, asked.slug) : 'Cell'">
    <div v-if="asked" class="behind">
      <h3>{{ asked.row.name }} · {{ station(asked.slug).number }} {{ station(asked.slug).name }}</h3>
      <p v-if="asked.row.error" class="stop small">{{ asked.row.error }}</p>
      <p v-else-if="isFetching && !found" class="faded small">Looking …</p>
      <ul v-else-if="found?.findings.length">
        <li v-for="f in found.findings.slice(0, 6)" :key="f.id"><ResultMark :result="f.result" :size="12" /> {{ f.title }}</li>
        <li v-if="found.findings.length > 6" class="faded">and {{ found.findings.length - 6 }} more</li>
      </ul>
      <p v-else class="faded small">No stop and no caution here.</p>
      <RouterLink class="btn main" :to="bench(asked.row, asked.slug)">Open on the Bench</RouterLink>
    </div>
  </Popover>
</template>

<style scoped>
.board {
  border-collapse: separate;
  border-spacing: 0;
  width: 100%;
  font-size: 13px;
  background: var(--hl-sheet);
}
th,
td {
  border-bottom: 1px solid var(--hl-rule);
  border-left: 1px solid #eae2d2;
  padding: 0 4px;
  height: 40px;
  text-align: center;
  font-weight: 400;
}
thead th {
  position: sticky;
  top: 0;
  z-index: 3;
  background: var(--hl-sheet);
  border-bottom: 1px solid var(--hl-ink-soft);
  font-size: 12px;
  line-height: 1.2;
  color: var(--hl-ink-soft);
}
thead b {
  display: block;
  font: 600 14px var(--hl-font-display);
}
tfoot td,
tfoot th {
  position: sticky;
  bottom: 0;
  z-index: 2;
  height: 30px;
  background: var(--hl-paper-deep);
  border-top: 1px solid var(--hl-rule-strong);
}
tfoot .who {
  font: 600 13.5px var(--hl-font-display);
  background: var(--hl-paper-deep);
}
.tick {
  width: 26px;
  border-left: 0;
}
.who {
  position: sticky;
  left: 0;
  z-index: 1;
  text-align: left;
  width: 176px;
  max-width: 176px;
  background: var(--hl-sheet);
  border-left: 0;
}
thead .who {
  z-index: 4;
}
.model {
  display: flex;
  align-items: center;
  gap: 8px;
  min-width: 0;
}
.model a {
  flex: 1;
  min-width: 0;
  color: var(--hl-ink);
  text-decoration: none;
  font-weight: 700;
  white-space: nowrap;
}
.model a:hover {
  color: var(--hl-verdigris-text);
  text-decoration: underline;
}
.blank {
  width: 44px;
}
.model img {
  object-fit: contain;
}
.cell {
  cursor: pointer;
}
.cell.stop {
  background: #fbeeec;
}
.cell.caution {
  background: #fdf6e6;
}
.cell:hover {
  box-shadow: inset 0 0 0 1px var(--hl-rule-strong);
}
.cell:focus-visible,
.verdict:focus-visible {
  outline: 2px solid var(--hl-verdigris);
  outline-offset: -2px;
}
.chosen .who,
.chosen .tick {
  background: var(--hl-verdigris-wash);
}
.tight {
  gap: 4px;
}
.tight :deep(span) {
  gap: 2px;
  font-size: 12px;
}
.waived {
  font: 600 12px var(--hl-font-figure);
  color: var(--hl-waived-text);
}
.verdict {
  width: 84px;
}
.asks {
  cursor: pointer;
}
.asks:hover {
  box-shadow: inset 0 0 0 1px var(--hl-rule-strong);
}
.verdict b {
  font: 600 14px var(--hl-font-display);
}
.Held,
.Failed {
  color: var(--hl-stop-text);
}
.Fit {
  color: var(--hl-clear-text);
}
.Proved {
  color: var(--hl-clear-text);
  border-bottom: 3px double;
}
.Reading,
.Trying,
.Writing,
.Waiting,
.Stopped {
  font-weight: 400 !important;
  font-style: italic !important;
  color: var(--hl-ink-faded);
}
.trial {
  display: inline-flex;
  flex-direction: column;
  align-items: center;
  line-height: 1.2;
}
.trial em {
  font-size: 12px;
  color: var(--hl-ink-faded);
}
.behind {
  max-width: 320px;
  font-size: 13px;
  display: grid;
  gap: 6px;
  justify-items: start;
}
.behind h3 {
  font-weight: 700;
}
.behind ul {
  list-style: none;
  margin: 0;
  padding: 0;
  display: grid;
  gap: 3px;
}
</style>
