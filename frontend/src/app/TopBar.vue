<script setup lang="ts">
import { computed } from 'vue';
import { useRoute } from 'vue-router';
import LensLogo from '../ui/LensLogo.vue';
import JobsPanel from './JobsPanel.vue';

defineEmits<{ help: []; find: [] }>();
const route = useRoute();
const bench = computed(() => (route.name === 'bench' ? route.path : localStorage.getItem('last-bench')));
const on = (name: string) => route.name === name || (name === 'bench' && route.name === 'proof');
</script>

<template>
  <header class="bar">
    <RouterLink class="mark" to="/" aria-label="Hand Lens"><LensLogo /> <span>Hand Lens</span></RouterLink>
    <nav aria-label="Main">
      <RouterLink to="/" :class="{ on: on('shelf') }">Shelf</RouterLink>
      <RouterLink v-if="bench" :to="bench" :class="{ on: on('bench') }">Bench</RouterLink>
      <span v-else class="off" title="Set a model on the shelf first">Bench</span>
      <RouterLink to="/sheets" :class="{ on: on('sheets') }">Rule sheets</RouterLink>
      <RouterLink to="/batches" :class="{ on: on('batches') || on('batch') }">Batches</RouterLink>
      <RouterLink to="/guide" :class="{ on: on('guide') }">Guide</RouterLink>
    </nav>
    <span class="grow" />
    <JobsPanel />
    <button class="find" aria-label="Find a model, part or finding" @click="$emit('find')">
      <svg width="13" height="13" viewBox="0 0 14 14" aria-hidden="true">
        <circle cx="8.500" cy="5.500" r="4" fill="none" stroke="#37464B" stroke-width="1.4" />
        <path d="M5.500 8.500 1.500 12.500" stroke="#37464B" stroke-width="1.6" /></svg
      ><span>Find a model, part or finding</span><kbd>/</kbd>
    </button>
    <button class="btn help" aria-label="Help and keys" @click="$emit('help')"><kbd>?</kbd></button>
  </header>
</template>

<style scoped>
.bar {
  height: var(--hl-bar-h);
  flex: none;
  display: flex;
  align-items: center;
  padding: 0 16px;
  gap: 26px;
  border-bottom: 1px solid var(--hl-rule);
  background: var(--hl-paper);
}
.mark {
  display: flex;
  align-items: center;
  gap: 8px;
  font: 600 20px/1 var(--hl-font-display);
  letter-spacing: -0.01em;
  color: var(--hl-ink);
  text-decoration: none;
  white-space: nowrap;
}
nav {
  display: flex;
  gap: 4px;
  align-self: stretch;
}
nav a,
.off {
  display: flex;
  align-items: center;
  padding: 0 11px;
  white-space: nowrap;
  color: var(--hl-ink-soft);
  text-decoration: none;
  position: relative;
}
.off {
  color: var(--hl-ink-faded);
}
nav a:hover {
  color: var(--hl-ink);
}
nav a.on {
  color: var(--hl-ink);
  font-weight: 700;
}
nav a.on::after {
  content: '';
  position: absolute;
  left: 9px;
  right: 9px;
  bottom: 4px;
  height: 3px;
  border-radius: 60% 40% 50% 60%;
  background: var(--hl-verdigris);
  transform: rotate(-0.6deg);
}
.find {
  display: flex;
  align-items: center;
  gap: 8px;
  border: 0;
  border-bottom: 1px solid var(--hl-rule-strong);
  background: none;
  height: 28px;
  font-size: 13px;
  color: var(--hl-ink-faded);
  cursor: pointer;
}
/* A small screen, or a large one at twice its size. */
@media (max-width: 760px) {
  .bar {
    gap: 10px;
    padding: 0 8px;
  }
  .find span,
  .mark span {
    display: none;
  }
  nav a,
  .off {
    padding: 0 6px;
  }
}
.help {
  border: 0;
  background: none;
  padding: 0 4px;
}
</style>
