<script setup lang="ts">
defineProps<{ result: string; size?: number; label?: string }>();
const WORDS: Record<string, string> = {
  stop: 'stop',
  caution: 'caution',
  note: 'note',
  clear: 'clear',
  waived: 'waived',
  pending: 'not yet',
  nothing: 'nothing to check',
};
</script>

<template>
  <svg class="mark" :width="size ?? 14" :height="size ?? 14" viewBox="0 0 16 16" role="img" :aria-label="label ?? WORDS[result] ?? result">
    <g v-if="result === 'stop'">
      <rect x="1" y="1" width="14" height="14" rx="1.2" fill="#9E3136" />
      <rect x="3.4" y="6.4" width="9.2" height="3.2" fill="#FFFDF8" />
    </g>
    <g v-else-if="result === 'caution'">
      <path d="M8 .9 15.1 8 8 15.1 .9 8Z" fill="#FFFDF8" stroke="#A86A12" stroke-width="1.7" />
      <path d="M8 .9V15.1L.9 8Z" fill="#A86A12" />
    </g>
    <g v-else-if="result === 'note'">
      <circle cx="8" cy="8" r="6.2" fill="none" stroke="#4A6480" stroke-width="1.6" />
      <circle cx="8" cy="8" r="2" fill="#4A6480" />
    </g>
    <path
      v-else-if="result === 'clear'"
      d="M2 8.6 6.2 12.8 14 3.4"
      fill="none"
      stroke="#4E7032"
      stroke-width="2.3"
      stroke-linecap="round"
      stroke-linejoin="round"
    />
    <path
      v-else-if="result === 'waived'"
      d="M1 9.4c2-4.4 4.4-4.4 7-1.4s5 3 7-1.4"
      fill="none"
      stroke="#5C6A6E"
      stroke-width="1.8"
      stroke-linecap="round"
    />
    <path v-else-if="result === 'nothing'" d="M4.5 8h7" stroke="#8B9492" stroke-width="1.6" stroke-linecap="round" />
    <circle
      v-else
      cx="8"
      cy="8"
      r="5.6"
      fill="none"
      stroke="#5C6A6E"
      stroke-width="1.6"
      stroke-dasharray="1.4 2.6"
      stroke-linecap="round"
    />
  </svg>
</template>

<style scoped>
.mark {
  flex: none;
  vertical-align: -2px;
}
</style>
