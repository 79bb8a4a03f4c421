<script setup lang="ts">
import type { Station } from '../api/client';
import LimitMeter from '../ui/LimitMeter.vue';
import ResultCounts from '../ui/ResultCounts.vue';
import ResultMark from '../ui/ResultMark.vue';
import StationPanel from './StationPanel.vue';
import { useBench } from './useBench';

const state = useBench('reading', 'opened');
const worst = (s: Station) => (s.counts.stop ? 'stop' : s.counts.caution ? 'caution' : s.counts.note ? 'note' : 'clear');
</script>

<template>
  <section class="ledger" aria-label="Ledger of stations">
    <template v-for="s in state.stations.value" :key="s.slug">
      <StationPanel v-if="s.slug === state.station.value" :station="s" />
      <button v-else class="row" :class="{ idle: !s.inspected }" :data-station="s.slug" @click="state.station.value = s.slug">
        <span class="n">{{ s.number }}</span>
        <span class="name">{{ s.name }}</span>
        <span class="line"
          >{{ s.line }}<em v-if="s.limit"> / {{ s.limit }}</em></span
        >
        <span><LimitMeter v-if="typeof s.meter === 'number'" :value="s.meter" :result="worst(s)" /></span>
        <span class="result"><ResultCounts v-if="s.inspected" :counts="s.counts" /><ResultMark v-else result="pending" /></span>
      </button>
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
.row {
  height: 24px;
  flex: none;
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
.row:hover {
  background: var(--hl-paper);
}
.row:focus-visible {
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
  padding-right: 14px;
}
.idle {
  color: var(--hl-ink-faded);
}
.idle .name {
  font-weight: 400;
}
</style>
