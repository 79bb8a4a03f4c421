<script setup lang="ts">
import { computed } from 'vue';
import type { Counts } from '../api/client';

const props = defineProps<{ counts: Counts; proved: boolean; none?: string }>();
const word = computed(() => (props.counts.stop ? 'Held' : props.proved ? 'Proved' : 'Fit'));
const many = (n: number, w: string) => `${n} ${w}${n === 1 ? '' : 's'}`;
const line = computed(() => {
  const { stop, caution, note } = props.counts;
  const parts = [stop && many(stop, 'stop'), caution && many(caution, 'caution'), !stop && note && many(note, 'note')].filter(Boolean);
  return parts.join(' · ') || (props.none ?? 'nothing to mend');
});
</script>

<template>
  <div class="stamp" :class="counts.stop ? 'stop' : 'clear'" role="status"><b>{{ word }}</b><span>{{ line }}</span></div>
</template>

<style scoped>
.stamp { border: 2px solid; border-radius: 4px; padding: 3px 11px 4px; transform: rotate(-1.4deg); text-align: center; line-height: 1.15; outline: 1px solid; outline-offset: 2px; background: var(--hl-sheet); white-space: nowrap; }
b { font: 600 17px/1 var(--hl-font-display); display: block; }
span { font-size: 12.5px; font-weight: 700; }
</style>
