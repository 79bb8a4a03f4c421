<script setup lang="ts">
import { computed, ref } from 'vue';
import type { Station } from '../api/client';
import ResultCounts from '../ui/ResultCounts.vue';
import ResultMark from '../ui/ResultMark.vue';
import FindingCard from './FindingCard.vue';
import HandoffList from './HandoffList.vue';
import GaugeChart from './GaugeChart.vue';
import MendForm from './MendForm.vue';
import ReduceDesk from './ReduceDesk.vue';
import StationTable from './StationTable.vue';
import { useFold } from './fold';
import { useBench } from './useBench';

const box = ref<HTMLElement>();
const fold = useFold(box);
const onward = () => box.value?.scrollBy({ top: box.value.clientHeight - fold.height.value - 30 });
const props = defineProps<{ station: Station }>();
const state = useBench('reading', 'selection', 'choices');
const findings = computed(() => state.findings.value.filter((f) => f.station === props.station.name));
const mends = computed(() => (state.catalogue.value?.mends ?? []).some((m) => m.id.startsWith(`${props.station.slug}.`)));
const skipped = computed(() => (state.bench.value?.reading?.skipped ?? []).filter((s) => s.check.startsWith(`${props.station.slug}.`)));
const clear = computed(() => (state.bench.value?.reading?.clear ?? []).filter((c) => c.startsWith(`${props.station.slug}.`)));
const adding = ref(false);
const asked = ref({ mend: '', parts: [] as string[] });
function form(mend: string, parts: string[]) {
  asked.value = { mend, parts };
  adding.value = true;
}
/** Mends of this station that have a button of their own. */
const menu = computed(() =>
  (state.catalogue.value?.mends ?? []).filter((m) => m.menu?.place === 'station' && m.id.startsWith(`${props.station.slug}.`)),
);
const measured = computed(() => {
  const m = state.bench.value?.reading?.measured;
  return m && m.fresh < m.meshes ? `${m.fresh} of ${m.meshes} meshes had to be measured anew` : '';
});
/** What the mends on the tape changed here. */
const moved = computed(() => {
  const m = state.bench.value?.by_mends?.stations[props.station.slug];
  return m
    ? [m.fixed && `${m.fixed} fixed`, m.eased && `${m.eased} eased`, m.worse && `${m.worse} grown`, m.fresh && `${m.fresh} new`]
        .filter(Boolean)
        .join(', ')
    : '';
});
const worst = computed(() =>
  props.station.counts.stop
    ? 'stop'
    : props.station.counts.caution
      ? 'caution'
      : props.station.counts.note
        ? 'note'
        : props.station.inspected
          ? 'clear'
          : 'pending',
);
</script>

<template>
  <section class="open" :aria-label="`${station.name}, open`">
    <div class="tab">
      <b>{{ station.number }}</b><ResultMark :result="worst" :size="15" />
    </div>
    <div ref="box" class="in" :style="{ scrollPaddingBottom: `${fold.height.value + 6}px` }">
      <div class="head">
        <h2>{{ station.name }}</h2>
        <p :title="station.about">{{ station.about }}</p>
        <span v-if="moved" class="moved">by the mends: {{ moved }}</span
        ><ResultCounts v-if="station.inspected" :counts="station.counts" />
      </div>
      <p v-if="!station.inspected" class="faded idle">No check looks at this yet, so nothing is said about it.</p>
      <template v-else>
        <div class="figures">
          <div v-for="f in station.headline" :key="f.label" class="figure">
            <b :class="f.result ?? ''"
              >{{ f.value }}<small>{{ f.unit }}</small></b
            >
            <div>{{ f.label }}</div>
          </div>
        </div>
        <div v-if="findings.length" class="cards">
          <FindingCard v-for="k in state.kindsOf(station.name)" :key="k.findings[0]!.id" :kind="k" />
        </div>
        <HandoffList v-if="station.slug === 'handoff'" />
        <template v-if="station.slug === 'budget'">
          <GaugeChart />
          <ReduceDesk />
        </template>
        <StationTable
          v-for="t in station.tables"
          :key="t.key"
          :table="t"
          :short="findings.length > 0"
          :station="station.slug"
          @form="form"
        />
        <div class="acts">
          <button v-for="m in menu" :key="m.id" class="btn" :title="m.does" @click="form(m.id, [])">{{ m.menu!.says }}</button>
          <button v-if="mends" class="btn" @click="form('', [])">Another mend …</button>
          <button v-if="state.part.value !== null" class="btn" @click="state.isolate(null)">Show all parts</button>
          <span class="grow" />
          <details class="small">
            <summary>{{ clear.length }} clear, {{ skipped.length }} not asked</summary>
            <ul>
              <li v-if="measured" class="faded">{{ measured }}</li>
              <li v-for="c in clear" :key="c"><ResultMark result="clear" :size="12" /> {{ c }}</li>
              <li v-for="s in skipped" :key="s.check"><ResultMark result="nothing" :size="12" /> {{ s.check }}: {{ s.because }}</li>
            </ul>
          </details>
        </div>
        <MendForm v-model:visible="adding" :station="station.slug" :mend="asked.mend" :parts="asked.parts" />
      </template>
    </div>
    <button v-if="fold.height.value" class="onward" :style="{ height: `${fold.height.value}px` }" tabindex="-1" @click="onward">
      <span>more below ↓</span>
    </button>
  </section>
</template>

<style scoped>
.open {
  flex: 1 0 300px;
  min-height: 300px;
  position: relative;
  border-top: 1.5px solid var(--hl-ink);
  border-bottom: 1.5px solid var(--hl-ink);
  margin-top: -1px;
  background: linear-gradient(90deg, #fbf6eb, #fffdf8 60%);
  display: flex;
}
.tab {
  position: absolute;
  left: 0;
  top: 0;
  bottom: 0;
  width: 37px;
  background: var(--hl-verdigris-wash);
  border-right: 3px double var(--hl-verdigris);
  display: flex;
  flex-direction: column;
  align-items: center;
  padding-top: 7px;
  gap: 7px;
}
.tab b {
  font: 600 20px/1 var(--hl-font-display);
  color: var(--hl-verdigris-text);
}
.in {
  position: absolute;
  inset: 0;
  padding: 6px 14px 8px 50px;
  display: flex;
  flex-direction: column;
  gap: 7px;
  overflow: auto;
}
.head {
  display: flex;
  align-items: baseline;
  gap: 10px;
}
h2 {
  font: 600 18px/1.2 var(--hl-font-display);
  white-space: nowrap;
}
.head p {
  color: var(--hl-ink-faded);
  font-size: 12.5px;
  flex: 1;
  min-width: 0;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.moved {
  font-size: 12.5px;
  color: var(--hl-verdigris-text);
  white-space: nowrap;
}
.figures {
  display: flex;
  flex-wrap: wrap;
  border-top: 1px solid var(--hl-rule);
  border-bottom: 1px solid var(--hl-rule);
  flex: none;
  overflow: hidden;
}
/* Each tile draws the line on its left, which the edge hides for the first of a row. */
.figure {
  flex: 1 1 0;
  padding: 3px 10px 4px;
  border-left: 1px solid var(--hl-rule);
  margin-left: -1px;
  min-width: min-content;
  max-width: 100%;
}
.figure:first-child {
  padding-left: 1px;
}
.figure b {
  font: 500 24px/1.1 var(--hl-font-figure);
  letter-spacing: -0.04em;
  display: inline-flex;
  align-items: baseline;
  gap: 6px;
  white-space: nowrap;
}
.figure small {
  font: 400 12.5px var(--hl-font-figure);
  letter-spacing: -0.01em;
  color: var(--hl-ink-faded);
}
.figure div {
  font-size: 12px;
  color: var(--hl-ink-faded);
  line-height: 1.2;
}
.cards {
  display: grid;
  gap: 6px;
  grid-template-columns: repeat(auto-fit, minmax(min(300px, 100%), 1fr));
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 5px;
  align-items: flex-start;
  margin-top: auto;
  padding-top: 2px;
}
summary {
  cursor: pointer;
  color: var(--hl-ink-faded);
  line-height: 24px;
  text-align: right;
}
details ul {
  list-style: none;
  margin: 0;
  padding: 0 0 4px;
  max-width: 300px;
}
.idle {
  padding: 6px 0;
}
.onward {
  position: absolute;
  left: 41px;
  right: 0;
  bottom: 0;
  border: 0;
  padding: 0;
  display: flex;
  align-items: flex-end;
  justify-content: center;
  background: linear-gradient(rgba(253, 250, 243, 0.9), #fdfaf3 6px);
  border-top: 1px dashed var(--hl-rule);
  color: var(--hl-ink-faded);
  font-size: 12px;
  line-height: 20px;
  cursor: pointer;
}
.onward:hover {
  color: var(--hl-ink);
}
</style>
