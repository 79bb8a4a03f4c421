<script setup lang="ts">
// Counts left of their shapes, the weightiest first; a tick where there is none.
import { computed } from 'vue';
import type { Counts } from '../api/client';
import ResultMark from './ResultMark.vue';

const props = defineProps<{ counts: Counts | null; worstOnly?: boolean; size?: number }>();
const shown = computed(() => {
  const c = props.counts;
  if (!c) return [{ result: 'pending', n: null }];
  const all = (['stop', 'caution', 'note'] as const).filter((k) => c[k]).map((k) => ({ result: k as string, n: c[k] as number | null }));
  return all.length ? (props.worstOnly ? all.slice(0, 1) : all) : [{ result: 'clear', n: null }];
});
</script>

<template>
  <span class="counts"
    ><span v-for="c in shown" :key="c.result" :class="c.result">{{ c.n }}<ResultMark :result="c.result" :size="size" /></span
  ></span>
</template>

<style scoped>
.counts {
  display: inline-flex;
  gap: 8px;
}
.counts span {
  display: inline-flex;
  align-items: center;
  gap: 4px;
  font: 600 12.5px var(--hl-font-figure);
}
</style>
