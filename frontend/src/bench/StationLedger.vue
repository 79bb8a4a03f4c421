<script setup lang="ts">
import { computed, defineAsyncComponent } from 'vue';
import type { Station } from '../api/client';
import LimitMeter from '../ui/LimitMeter.vue';
import ResultCounts from '../ui/ResultCounts.vue';
import ResultMark from '../ui/ResultMark.vue';
import StationPanel from './StationPanel.vue';
import WaysIn from './WaysIn.vue';
import { useBench } from './useBench';

const SymptomPanel = defineAsyncComponent(() => import('./SymptomPanel.vue'));
const TreePanel = defineAsyncComponent(() => import('./TreePanel.vue'));
const state = useBench('reading', 'selection', 'ways');
const worst = (s: Station) => (s.counts.stop ? 'stop' : s.counts.caution ? 'caution' : s.counts.note ? 'note' : 'clear');
/** A station that was looked at without a word, or not yet: it stands on the line at the foot and leaves the room to the others. */
const quiet = (s: Station) => !s.counts.stop && !s.counts.caution && !s.counts.note;
const open = computed(() => state.stations.value.find((s) => s.slug === state.station.value));
const told = computed(() => state.stations.value.filter((s) => !quiet(s) && s !== open.value));
const silent = computed(() => state.stations.value.filter((s) => quiet(s) && s !== open.value));
const before = computed(() => told.value.filter((s) => !open.value || s.number < open.value.number));
const after = computed(() => told.value.filter((s) => open.value && s.number > open.value.number));
/** Two to a line where so many have something to say that the open one would lose its room. */
const close = computed(() => told.value.length > 6);
const waived = computed(() => new Set(state.findings.value.filter((f) => f.waived).map((f) => f.station)));
const words = (s: Station) => (s.limit ? `${s.line} / ${s.limit}` : s.line);
</script>

<template>
  <section class="ledger" aria-label="Ledger of stations">
    <WaysIn />
    <SymptomPanel v-if="state.way.value === 'look'" />
    <TreePanel v-else-if="state.way.value === 'tree'" />
    <template v-else>
      <template v-for="(group, k) in [before, after]" :key="k">
        <div v-if="group.length" class="rows" :class="{ close }">
          <button
            v-for="s in group"
            :key="s.slug"
            class="row"
            :class="{ last: s === group[group.length - 1] && group.length % 2 }"
            :data-station="s.slug"
            @click="state.station.value = s.slug"
          >
            <span class="n">{{ s.number }}</span>
            <span class="name">{{ s.name }}</span>
            <span class="line" :title="words(s)"
              >{{ s.line }}<em v-if="s.limit"> / {{ s.limit }}</em></span
            >
            <span v-if="!close"><LimitMeter v-if="typeof s.meter === 'number'" :value="s.meter" :result="worst(s)" /></span>
            <span class="result"><ResultCounts :counts="s.counts" /></span>
          </button>
        </div>
        <StationPanel v-if="!k && open" :key="open.slug" :station="open" />
      </template>
      <div v-if="silent.length" class="silent">
        <button
          v-for="s in silent"
          :key="s.slug"
          class="mute"
          :class="{ idle: !s.inspected }"
          :data-station="s.slug"
          :title="words(s)"
          @click="state.station.value = s.slug"
        >
          <span class="n">{{ s.number }}</span>
          <span class="name">{{ s.name }}</span>
          <ResultMark :result="waived.has(s.name) ? 'waived' : s.inspected ? 'clear' : 'pending'" :size="13" />
        </button>
      </div>
    </template>
  </section>
</template>

<style scoped>
.ledger {
  background: var(--hl-sheet);
  position: relative;
  display: flex;
  flex-direction: column;
  border-right: 1px solid var(--hl-rule);
  overflow: hidden auto;
  min-height: 0;
}
.ledger::before {
  content: '';
  position: absolute;
  left: 37px;
  top: 0;
  bottom: 0;
  width: 3px;
  border-left: 1px solid var(--hl-margin-line);
  border-right: 1px solid var(--hl-margin-line);
  pointer-events: none;
}
.rows {
  flex: none;
}
.rows.close {
  display: grid;
  grid-template-columns: 1fr 1fr;
}
.row {
  height: 24px;
  width: 100%;
  display: grid;
  grid-template-columns: 37px 100px 1fr 60px 104px;
  align-items: center;
  border: 0;
  border-bottom: 1px solid #eae2d2;
  background: none;
  position: relative;
  font-size: 13px;
  text-align: left;
  padding: 0;
  cursor: pointer;
}
.close .row {
  grid-template-columns: 37px auto minmax(0, 1fr) auto;
}
.close .row:nth-child(even) {
  grid-template-columns: 24px auto minmax(0, 1fr) auto;
  border-left: 1px solid #eae2d2;
}
.close .row.last {
  grid-column: 1 / -1;
}
.row:hover,
.mute:hover {
  background: var(--hl-paper);
}
.row:focus-visible,
.mute:focus-visible {
  outline-offset: -2px;
}
.n {
  font: 500 13px var(--hl-font-display);
  text-align: center;
  color: var(--hl-ink-faded);
}
.name {
  padding-left: 12px;
  font-weight: 700;
  font-size: 13.5px;
}
.close .row:nth-child(even) .name {
  padding-left: 4px;
}
.line {
  font: 400 12.5px var(--hl-font-figure);
  letter-spacing: -0.02em;
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
  padding-left: 8px;
}
.line em {
  font-style: normal;
  color: var(--hl-ink-faded);
}
.result {
  display: flex;
  justify-content: flex-end;
  padding: 0 14px 0 6px;
}
.silent {
  flex: none;
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  padding: 0 4px 0 44px;
  min-height: 25px;
  border-top: 1px solid #eae2d2;
}
.mute {
  height: 24px;
  display: inline-flex;
  align-items: center;
  gap: 4px;
  border: 0;
  background: none;
  padding: 0 4px;
  cursor: pointer;
  font-size: 13px;
}
.mute .name {
  padding: 0;
  font-size: 13px;
}
.idle .name {
  font-weight: 400;
  color: var(--hl-ink-faded);
}
</style>
