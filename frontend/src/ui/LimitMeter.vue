<script setup lang="ts">
// A tick at the limit, at 68 % of the width; the bar runs past it when over; a dot for zero.
import { computed } from 'vue';

const props = defineProps<{ value: number; result: string }>();
const W = 54;
const LIMIT = W * 0.68;
const COLOURS: Record<string, string> = { stop: '#9E3136', caution: '#A86A12', note: '#4A6480', clear: '#4E7032' };
const length = computed(() => Math.min(W - 2, props.value * LIMIT));
const colour = computed(() => COLOURS[props.result] ?? COLOURS.clear);
</script>

<template>
  <svg :width="W" height="12" :viewBox="`0 0 ${W} 12`" aria-hidden="true">
    <path :d="`M1 8.5H${W - 1}`" stroke="#C9BEA8" />
    <rect v-if="value > 0.001" x="1" y="6" :width="Math.max(1.5, length)" height="5" :fill="colour" />
    <circle v-else cx="2.5" cy="8.5" r="2.2" :fill="colour" />
    <path :d="`M${LIMIT} 1.5V12`" stroke="#1E2A2F" stroke-width="1.4" />
    <path v-if="value > 1.45" :d="`M${W - 5} 4.2l3.6 4.3-3.6 4.3`" fill="none" stroke="#FFFDF8" stroke-width="1.4" />
  </svg>
</template>
