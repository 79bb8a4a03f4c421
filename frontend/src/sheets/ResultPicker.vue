<script setup lang="ts">
// What a check gives on a sheet: four shapes, of which the chosen one widens and shows its word.
import ResultMark from '../ui/ResultMark.vue';

defineProps<{ label: string; own: boolean }>();
const chosen = defineModel<string>({ required: true });
const RESULTS = [
  { value: 'stop', word: 'stop', mark: 'stop' },
  { value: 'caution', word: 'caution', mark: 'caution' },
  { value: 'note', word: 'note', mark: 'note' },
  { value: 'off', word: 'not asked', mark: 'nothing' },
];
</script>

<template>
  <div class="picker" role="radiogroup" :aria-label="label">
    <button
      v-for="r in RESULTS"
      :key="r.value"
      type="button"
      role="radio"
      :aria-checked="chosen === r.value"
      :aria-label="r.word"
      :title="r.word"
      :class="[r.value, { chosen: chosen === r.value, own }]"
      @click="chosen = r.value"
    >
      <ResultMark :result="r.mark" :size="12" /><b v-if="chosen === r.value">{{ r.word }}</b>
    </button>
  </div>
</template>

<style scoped>
.picker {
  display: flex;
  border: 1px solid var(--hl-rule-strong);
  border-radius: var(--hl-r-control);
  overflow: hidden;
  background: var(--hl-sheet);
}
button {
  border: 0;
  border-right: 1px solid var(--hl-rule);
  background: none;
  height: 24px;
  width: 26px;
  padding: 0;
  display: flex;
  align-items: center;
  justify-content: center;
  gap: 5px;
  cursor: pointer;
  font-size: 12.5px;
}
button:last-child {
  border-right: 0;
}
button:not(.chosen) :deep(svg) {
  opacity: 0.45;
}
button.chosen {
  width: 92px;
}
.stop.chosen {
  background: var(--hl-stop-wash);
  color: var(--hl-stop-text);
}
.caution.chosen {
  background: var(--hl-caution-wash);
  color: var(--hl-caution-text);
}
.note.chosen {
  background: var(--hl-note-wash);
  color: var(--hl-note-text);
}
.own b {
  text-decoration: underline;
}
button:focus-visible {
  outline-offset: -2px;
}
</style>
