<script setup lang="ts">
import { computed, watch } from 'vue';
import { announce } from '../app/announce';
import type { Counts } from '../api/client';

/** unlooked: stations with something that nobody looked at, which keep the stamp from saying more than was seen. */
const props = defineProps<{ counts: Counts; proved: boolean; unlooked?: string[] }>();
const word = computed(() => (props.counts.stop ? 'Held' : props.unlooked?.length ? 'Fit so far' : props.proved ? 'Proved' : 'Fit'));
const many = (n: number, w: string) => `${n} ${w}${n === 1 ? '' : 's'}`;
const unseen = computed(() => (props.unlooked?.length ? `${props.unlooked.join(' and ')} not looked at` : ''));
const line = computed(() => {
  const { stop, caution, note } = props.counts;
  const parts = [
    stop && many(stop, 'stop'),
    caution && many(caution, 'caution'),
    !stop && !unseen.value && note && many(note, 'note'),
  ].filter(Boolean);
  return parts.join(' · ') || (unseen.value ? '' : 'nothing to mend');
});
watch(
  () => [word.value, line.value, unseen.value].filter(Boolean).join(', '),
  (told) => announce(`Verdict: ${told}`),
  { immediate: true },
);
</script>

<template>
  <div
    class="stamp"
    :class="counts.stop ? 'stop' : unlooked?.length ? 'caution' : 'clear'"
    :title="[line, unseen].filter(Boolean).join(' · ')"
  >
    <b>{{ word }}</b><span v-if="line">{{ line }}</span
    ><span v-if="unseen">{{ unseen }}</span>
  </div>
</template>

<style scoped>
.stamp {
  border: 2px solid;
  border-radius: 4px;
  padding: 3px 11px 4px;
  transform: rotate(-1.4deg);
  text-align: center;
  line-height: 1.15;
  outline: 1px solid;
  outline-offset: 2px;
  background: var(--hl-sheet);
  max-width: 250px;
}
b {
  font: 600 17px/1 var(--hl-font-display);
  display: block;
  white-space: nowrap;
}
span {
  font-size: 12px;
  line-height: 1.1;
  margin-top: 2px;
  font-weight: 700;
  display: block;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
</style>
