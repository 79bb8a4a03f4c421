<script setup lang="ts">
// The sheet's limits against what came and what each mend on the tape made of it: one plumb line a limit, one bead a state.
import { computed } from 'vue';
import type { components } from '../api/schema';
import { useBench } from './useBench';

type Gauge = components['schemas']['Gauge'];
const W = 190;
const state = useBench('reading');
const gauges = computed<Gauge[]>(() => (state.bench.value?.gauges ?? []).filter((g) => g.reached.some((r) => r.value > 0)));
const scale = (g: Gauge) => Math.max(...g.reached.map((r) => r.value), g.limit ?? 0, 1) * 1.04;
const x = (g: Gauge, value: number) => 4 + ((W - 8) * value) / scale(g);
/** What is told in turn: what came, and each mend that changed it. */
const beads = (g: Gauge) => g.reached.filter((r, k) => !k || r.value !== g.reached[k - 1]!.value);
const said = (g: Gauge) =>
  beads(g)
    .map((r) => `${r.title}: ${r.words}`)
    .join('\n');
</script>

<template>
  <table v-if="gauges.length" class="gauges" aria-label="The sheet's limits, before and after each mend">
    <tbody>
      <tr v-for="g in gauges" :key="g.key" :title="said(g)">
        <th scope="row">{{ g.title }}</th>
        <td>
          <svg :width="W" height="20" :viewBox="`0 0 ${W} 20`" aria-hidden="true">
            <path :d="`M4 12H${W - 4}`" class="line" />
            <path v-if="g.limit" :d="`M${x(g, g.limit)} 2V19`" class="limit" />
            <path v-for="(r, k) in beads(g).slice(1)" :key="`l${k}`" :d="`M${x(g, beads(g)[k]!.value)} 12H${x(g, r.value)}`" class="step" />
            <template v-for="(r, k) in beads(g)" :key="k">
              <circle v-if="k < beads(g).length - 1" :cx="x(g, r.value)" cy="12" r="2.6" class="was" />
              <rect v-else :x="x(g, r.value) - 3.5" y="8.5" width="7" height="7" :class="r.result ?? 'free'" />
            </template>
          </svg>
        </td>
        <td class="num mono">{{ g.reached[g.reached.length - 1]!.words }}</td>
        <td class="num mono faded">{{ g.limit_words }}</td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
.gauges {
  border-collapse: collapse;
  width: 100%;
  font-size: 13px;
}
th {
  font-weight: 400;
  text-align: left;
  padding-right: 8px;
}
td {
  padding: 0 4px;
  white-space: nowrap;
}
td:nth-child(2) {
  width: 190px;
}
svg {
  display: block;
  max-width: 100%;
}
.num {
  text-align: right;
}
path {
  fill: none;
}
.line {
  stroke: var(--hl-rule);
}
.limit {
  stroke: var(--hl-ink);
  stroke-width: 1.5;
}
.step {
  stroke: var(--hl-verdigris);
  stroke-width: 1.5;
}
.was {
  fill: var(--hl-sheet);
  stroke: var(--hl-verdigris);
  stroke-width: 1.4;
}
.caution {
  fill: var(--hl-caution-mark);
}
.clear {
  fill: var(--hl-clear-mark);
}
.free {
  fill: var(--hl-verdigris);
}
</style>
