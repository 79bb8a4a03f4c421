<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query';
import Toast from 'primevue/toast';
import { onBeforeUnmount, onMounted, ref } from 'vue';
import { followJobs, onJobsEnded } from '../api/jobs';
import HelpSheet from './HelpSheet.vue';
import TopBar from './TopBar.vue';
import { useKeys } from './keys';

const queries = useQueryClient();
const help = ref(false);
const said = ref('');
let leave = () => {};
onMounted(() => {
  followJobs();
  leave = onJobsEnded((ended) => {
    said.value = ended.map((j) => `${j.title}: ${j.state}`).join('. ');
    for (const key of ['shelf', 'bench', 'export']) void queries.invalidateQueries({ queryKey: [key] });
  });
});
onBeforeUnmount(() => leave());
useKeys('Everywhere', [{ keys: ['?'], says: 'this sheet', run: () => (help.value = true) }]);
</script>

<template>
  <a class="skip" href="#main">Skip to the content</a>
  <TopBar @help="help = true" />
  <main id="main" tabindex="-1"><RouterView /></main>
  <HelpSheet v-model:visible="help" />
  <Toast position="bottom-right" />
  <div class="sr" aria-live="polite">{{ said }}</div>
</template>

<style>
#app { display: flex; flex-direction: column; }
#main { flex: 1; min-height: 0; outline: none; }
.skip { position: absolute; left: -999px; }
.skip:focus { left: 8px; top: 8px; z-index: 100; background: var(--hl-sheet); padding: 4px 8px; }
</style>
