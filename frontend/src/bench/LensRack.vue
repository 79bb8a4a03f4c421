<script setup lang="ts">
import { LENSES } from '../stations/registry';
import type { LookName } from '../stage/looks';
import type { LoupeShape } from '../stage/loupe';

defineProps<{ look: LookName | null; showing: boolean; shape: LoupeShape }>();
defineEmits<{ choose: [LookName | null]; shape: [LoupeShape] }>();
const SHAPES: [LoupeShape, string, string][] = [
  ['circle', 'Glass', '<circle cx="8" cy="8" r="5.5" fill="none" stroke="currentColor" stroke-width="1.6"/>'],
  [
    'split',
    'Split',
    '<path d="M8 1.500v13" stroke="currentColor" stroke-width="1.6"/><path d="M2 3h12v10H2Z" fill="none" stroke="currentColor"/>',
  ],
  ['all', 'Whole', '<path d="M2 3h12v10H2Z" fill="currentColor" fill-opacity=".35" stroke="currentColor"/>'],
];
</script>

<template>
  <div class="racks">
    <div v-if="showing" class="shapes" role="group" aria-label="How the lens lies on the model">
      <button v-for="[s, name, mark] in SHAPES" :key="s" :aria-pressed="shape === s" @click="$emit('shape', s)">
        <svg width="16" height="16" viewBox="0 0 16 16" aria-hidden="true" v-html="mark" />{{ name }}
      </button>
    </div>
    <div class="lenses" role="group" aria-label="Lenses">
      <button :aria-pressed="look === null" @click="$emit('choose', null)">
        <svg width="30" height="30" viewBox="0 0 32 32" aria-hidden="true">
          <circle cx="16" cy="16" r="10.5" fill="#D8CFBC" />
          <path d="M9 19 16 9l7 10-7 4Z" fill="#EFE7D6" stroke="#1E2A2F" stroke-width="1.3" stroke-linejoin="round" />
          <circle cx="16" cy="16" r="11.6" class="rim" /></svg
        >As built
      </button>
      <button v-for="l in LENSES" :key="l.look" :aria-pressed="look === l.look" :title="l.legend" @click="$emit('choose', l.look)">
        <svg width="30" height="30" viewBox="0 0 32 32" aria-hidden="true">
          <g v-html="l.mark" />
          <circle cx="16" cy="16" r="11.6" class="rim" /></svg
        >{{ l.name }}
      </button>
    </div>
  </div>
</template>

<style scoped>
.racks {
  display: flex;
  flex-direction: column;
  align-items: center;
  gap: 2px;
  max-width: 100%;
}
.lenses {
  display: flex;
  align-items: flex-end;
  border-bottom: 2px solid var(--hl-ink);
  padding: 6px 4px 3px;
  overflow-x: auto;
  max-width: 100%;
}
.lenses button {
  border: 0;
  background: none;
  flex: none;
  min-width: 46px;
  padding: 0 5px;
  white-space: nowrap;
  text-align: center;
  font-size: 12px;
  line-height: 1.1;
  color: var(--hl-ink-soft);
  cursor: pointer;
}
.lenses svg {
  display: block;
  margin: 0 auto 3px;
}
.rim {
  fill: none;
  stroke: #8c8371;
  stroke-width: 1.2;
}
.lenses button[aria-pressed='true'] {
  color: var(--hl-ink);
  font-weight: 700;
}
.lenses button[aria-pressed='true'] .rim {
  stroke: #2b756f;
  stroke-width: 3;
}
.shapes {
  display: flex;
  gap: 4px;
}
.shapes button {
  border: 1px solid transparent;
  background: var(--hl-paper);
  border-radius: 3px;
  min-height: 24px;
  padding: 0 8px;
  font-size: 12px;
  display: flex;
  gap: 5px;
  align-items: center;
  cursor: pointer;
  color: var(--hl-ink-soft);
}
.shapes button[aria-pressed='true'] {
  border-color: var(--hl-verdigris);
  color: var(--hl-ink);
  font-weight: 700;
}
</style>
