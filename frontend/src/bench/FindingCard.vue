<script setup lang="ts">
import { computed } from 'vue';
import type { Finding } from '../api/client';
import ResultMark from '../ui/ResultMark.vue';
import type { BenchState } from './useBench';
import { figure, mendWords } from './words';

const props = defineProps<{ finding: Finding; letter: string; state: BenchState }>();
const shown = computed(() => props.state.finding.value?.id === props.finding.id);
const measured = computed(() => figure(props.finding.measured));
const wanted = computed(() => figure(props.finding.wanted));
const canShow = computed(() => !!props.finding.elements || props.finding.node !== null);
</script>

<template>
  <article class="card" :class="[finding.result, { shown }]" :aria-label="`${finding.result}: ${finding.title}`">
    <h3><ResultMark :result="finding.result" />{{ finding.title }}<i aria-hidden="true">{{ letter }}</i></h3>
    <p v-if="measured && wanted && measured !== wanted" class="mono figures">{{ measured }} <span class="faded">measured · wanted</span> {{ wanted }}</p>
    <p class="why">{{ finding.why }}</p>
    <div class="acts">
      <button v-if="canShow" class="btn" :aria-pressed="shown" @click="state.show(shown ? null : finding)">{{ shown ? 'Take the mark off' : 'Show it' }}</button>
      <template v-for="(m, k) in finding.mends" :key="k">
        <button class="btn" :class="state.onTape(m.mend, m.params) ? 'done' : 'main'" :disabled="state.onTape(m.mend, m.params) || state.lay.isPending.value" @click="state.put(m.mend, m.params)">
          {{ state.onTape(m.mend, m.params) ? 'On the tape' : mendWords(state.mendFacts(m.mend), m.mend, m.params) }}
        </button>
      </template>
    </div>
  </article>
</template>

<style scoped>
.card { border: 1px solid var(--hl-rule); border-left: 4px solid; border-radius: 3px; padding: 4px 9px 6px; background: var(--hl-sheet); font-size: 13px; line-height: 1.3; display: flex; flex-direction: column; }
.card.stop { border-left-color: var(--hl-stop-mark); background: #fdf6f3; color: inherit; }
.card.caution { border-left-color: var(--hl-caution-mark); background: #fdf8ec; color: inherit; }
.card.note { border-left-color: var(--hl-note-mark); color: inherit; }
.card.shown { box-shadow: 0 0 0 1.5px var(--hl-ink); }
h3 { font: 700 13.5px/1.3 var(--hl-font-text); display: flex; gap: 6px; align-items: baseline; overflow-wrap: anywhere; }
h3 :deep(svg) { align-self: flex-start; margin-top: 2px; }
h3 i { margin-left: auto; font: italic 500 14px var(--hl-font-display); color: var(--hl-ink-faded); }
.figures { font-size: 12.5px; }
.why { margin: 1px 0 5px; color: var(--hl-ink-soft); font-size: 12.5px; }
.acts { display: flex; gap: 6px; margin-top: auto; flex-wrap: wrap; }
</style>
