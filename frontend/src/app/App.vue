<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query';
import Toast from 'primevue/toast';
import { defineAsyncComponent, onBeforeUnmount, onMounted, ref, watch } from 'vue';
import { useRouter } from 'vue-router';
import { followJobs, onJobsEnded, troubles, underWay } from '../api/jobs';
import TopBar from './TopBar.vue';
import { useCommands } from './commands';
import { announce, said } from './announce';
import { useKeys } from './keys';
import { useWindows } from './windows';
import { once } from '../ui/once';

// Fetched when they are first opened: the page is there sooner without them.
const CommandSearch = defineAsyncComponent(() => import('./CommandSearch.vue'));
const HelpSheet = defineAsyncComponent(() => import('./HelpSheet.vue'));
const queries = useQueryClient();
const help = ref(false);
const finding = ref(false);
const router = useRouter();
useCommands(() => [
  { group: 'Go to', name: 'Shelf', run: () => void router.push('/') },
  { group: 'Go to', name: 'Batches', run: () => void router.push('/batches') },
  { group: 'Help', name: 'Keys and help', hint: '?', run: () => (help.value = true) },
]);
/** Whether a sheet was ever opened: from then on it stays, so that it can close in its own time. */
const [sought, helped] = [once(finding), once(help)];
useWindows();
let leave = () => {};
onMounted(() => {
  followJobs();
  leave = onJobsEnded((ended) => {
    announce(ended.map((j) => `${j.title}: ${j.state}`).join('. '));
    for (const key of ['shelf', 'bench', 'export', 'batch', 'batches']) void queries.invalidateQueries({ queryKey: [key] });
  });
});
onBeforeUnmount(() => leave());
/** How many quarters of each job were told of: a job that ends before its first says so when it ends. */
const quarters = new Map<number, number>();
watch(underWay, (live) => {
  for (const j of live) {
    const quarter = Math.floor(4 * j.share);
    if (quarter > (quarters.get(j.id) ?? 0)) announce(`${j.title}: ${j.phase}, ${25 * quarter} %`);
    quarters.set(j.id, quarter);
  }
});
useKeys('Everywhere', [
  { keys: ['?'], says: 'this sheet', run: () => (help.value = true) },
  { keys: ['/'], says: 'find a model, part, finding, lens or mend', run: () => (finding.value = true) },
]);
</script>

<template>
  <a class="skip" href="#main">Skip to the content</a>
  <TopBar @help="help = true" @find="finding = true" />
  <p v-for="t in troubles" :key="t" class="trouble" role="status">{{ t }}</p>
  <main id="main" tabindex="-1"><RouterView /></main>
  <CommandSearch v-if="sought" v-model:visible="finding" />
  <HelpSheet v-if="helped" v-model:visible="help" />
  <Toast position="bottom-right" />
  <div class="sr" aria-live="polite">{{ said }}</div>
</template>

<style>
#app {
  display: flex;
  flex-direction: column;
}
#main {
  flex: 1;
  min-height: 0;
  overflow: auto;
  outline: none;
}
.trouble {
  flex: none;
  margin: 0;
  padding: 6px 16px;
  background: var(--hl-caution-wash);
  border-bottom: 1px solid var(--hl-rule-strong);
  color: var(--hl-ink);
  font-size: 13px;
}
.skip {
  position: absolute;
  left: -999px;
}
.skip:focus {
  left: 8px;
  top: 8px;
  z-index: 100;
  background: var(--hl-sheet);
  padding: 4px 8px;
}
</style>
