<script setup lang="ts">
import { LENSES } from '../stations/registry';
import type { LookName } from '../stage/looks';

defineProps<{ look: LookName | null }>();
defineEmits<{ choose: [LookName | null] }>();
</script>

<template>
  <div class="rack" role="group" aria-label="Lenses">
    <button :aria-pressed="look === null" @click="$emit('choose', null)">
      <svg width="30" height="30" viewBox="0 0 32 32" aria-hidden="true"><circle cx="16" cy="16" r="10.5" fill="#D8CFBC" /><path d="M9 19 16 9l7 10-7 4Z" fill="#EFE7D6" stroke="#1E2A2F" stroke-width="1.3" stroke-linejoin="round" /><circle cx="16" cy="16" r="11.6" class="rim" /></svg>As built
    </button>
    <button v-for="l in LENSES" :key="l.look" :aria-pressed="look === l.look" :title="l.legend" @click="$emit('choose', l.look)">
      <svg width="30" height="30" viewBox="0 0 32 32" aria-hidden="true">
        <g v-if="l.look === 'received'"><circle cx="16" cy="16" r="10.5" fill="#D8CFBC" /><path d="M16 5.5a10.5 10.5 0 0 1 0 21Z" fill="#F6F1E7" /><path d="M16 5.5v21" stroke="#1E2A2F" stroke-width="1.2" /></g>
        <g v-else><circle cx="16" cy="16" r="10.5" fill="#D9A441" /><path d="M7 21 19 6M9.5 24 23 8M14 26 26 12M6 15 13 6.5M19 26l7-8" stroke="#3A2A0C" stroke-width="1.5" /></g>
        <circle cx="16" cy="16" r="11.6" class="rim" />
      </svg>{{ l.name }}
    </button>
  </div>
</template>

<style scoped>
.rack { display: flex; align-items: flex-end; border-bottom: 2px solid var(--hl-ink); padding: 6px 8px 3px; }
button { border: 0; background: none; min-width: 64px; padding: 0 5px; white-space: nowrap; text-align: center; font-size: 12px; line-height: 1.1; color: var(--hl-ink-soft); cursor: pointer; }
svg { display: block; margin: 0 auto 3px; }
.rim { fill: none; stroke: #8c8371; stroke-width: 1.2; }
button[aria-pressed='true'] { color: var(--hl-ink); font-weight: 700; transform: translateY(-4px); }
button[aria-pressed='true'] .rim { stroke: #2b756f; stroke-width: 2.6; }
</style>
