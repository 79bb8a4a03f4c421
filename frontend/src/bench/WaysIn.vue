<script setup lang="ts">
// The line over the ledger: the stations in their order, or another way in.
import { useKeys } from '../app/keys';
import { useBench } from './useBench';
import type { Way } from './pieces/ways';

const state = useBench('ways');
const WAYS: { way: Way; name: string; key: string }[] = [
  { way: null, name: 'Stations', key: '' },
  { way: 'look', name: 'It looked wrong …', key: 's' },
  { way: 'tree', name: 'Tree', key: 'i' },
];
const toggle = (w: Way) => (state.way.value = state.way.value === w ? null : w);
useKeys('Ways in', [
  { keys: ['s'], says: 'from how it looked wrong to what is wrong', run: () => toggle('look') },
  { keys: ['i'], says: 'the tree of nodes', run: () => toggle('tree') },
]);
</script>

<template>
  <div class="ways" role="group" aria-label="Ways in">
    <button v-for="w in WAYS" :key="w.name" :aria-pressed="state.way.value === w.way" @click="state.way.value = w.way">
      {{ w.name }}<kbd v-if="w.key">{{ w.key }}</kbd>
    </button>
  </div>
</template>

<style scoped>
.ways {
  flex: none;
  display: flex;
  gap: 4px;
  padding: 0 12px 0 44px;
  height: 28px;
  align-items: stretch;
  border-bottom: 1px solid var(--hl-rule);
  background: var(--hl-paper);
}
button {
  border: 0;
  border-bottom: 2px solid transparent;
  background: none;
  padding: 0 8px;
  font-size: 13px;
  color: var(--hl-ink-soft);
  cursor: pointer;
  display: inline-flex;
  align-items: center;
  gap: 6px;
}
button:hover {
  color: var(--hl-ink);
}
button:focus-visible {
  outline-offset: -2px;
}
button[aria-pressed='true'] {
  color: var(--hl-ink);
  font-weight: 700;
  border-bottom-color: var(--hl-verdigris);
}
kbd {
  border: 0;
  background: none;
  padding: 0;
  color: var(--hl-ink-faded);
}
</style>
