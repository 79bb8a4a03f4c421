<script setup lang="ts">
import { computed, defineAsyncComponent, ref, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { api } from '../api/client';
import { jobs } from '../api/jobs';
import { searching, useCommands } from '../app/commands';
import { useKeys } from '../app/keys';
import { nameTab } from '../app/title';
import ResultMark from '../ui/ResultMark.vue';
import { once } from '../ui/once';
import BenchDrop from './BenchDrop.vue';
import LedgerEdge from './LedgerEdge.vue';
import MendTape from './MendTape.vue';
import RouteStrip from './RouteStrip.vue';
import StageView from './StageView.vue';
import StationLedger from './StationLedger.vue';
import { layBench } from './useBench';

const ExportDialog = defineAsyncComponent(() => import('./ExportDialog.vue'));
const RecipeDialog = defineAsyncComponent(() => import('./RecipeDialog.vue'));
const route = useRoute();
const router = useRouter();
const { reading, selection, choices, changes, tape, way, marks, ways } = layBench(computed(() => Number(route.params.revision)));
const { bench, query, stations, findings } = reading;
const exporting = ref(false);
const cooking = ref(false);
const [everExported, everCooked] = [once(exporting), once(cooking)];
const ledger = ref(552);
const dropping = ref<InstanceType<typeof BenchDrop>>();
const parts = ways.parts;
watch(searching, (open) => open && (ways.listing.value = true));
/** The address of a row of a proof: what was read back is laid beside, and the part that the row is about is marked. */
watch(
  () => bench.value && [bench.value.name, `rev ${bench.value.revision.number}`],
  (said) => said && nameTab(...said, 'Bench'),
  { immediate: true },
);
watch(
  [() => route.query.readback, () => bench.value?.reading?.inspection],
  ([id, inspection]) => {
    if (typeof id !== 'string' || !inspection) return;
    ways.listing.value = true;
    tape.trial.layReadBack(Number(id));
  },
  { immediate: true },
);
watch([() => route.query.at, parts], ([at, all]) => {
  if (typeof route.query.readback !== 'string') return;
  const part = all.find((p) => p.name === at);
  marks.spot.value = part ? { node: part.node, faces: [] } : null;
});
const job = computed(() => jobs.jobs.find((j) => j.id === bench.value?.job));
const busy = computed(() => bench.value?.state === 'waiting' || bench.value?.state === 'running');
const failed = computed(() => bench.value?.state === 'failed' || bench.value?.state === 'cancelled');

function step(by: number) {
  const k = stations.value.findIndex((s) => s.slug === selection.station.value);
  const next = stations.value[Math.min(stations.value.length - 1, Math.max(0, k + by))];
  if (next) selection.station.value = next.slug;
}
function stepFinding(by: number) {
  const all = findings.value;
  if (!all.length) return;
  const k = all.findIndex((f) => f.id === selection.finding.value?.id);
  selection.show(all[(k + by + all.length + (k < 0 && by < 0 ? 1 : 0)) % all.length]!);
}
function putMend() {
  const f = selection.finding.value;
  const m = f?.mends[0];
  if (m && !tape.onTape(m.mend, m.params)) tape.put(m.mend, m.params);
}
useCommands(() => [
  ...stations.value.map((s) => ({ group: 'Station', name: s.name, hint: s.line, run: () => void (selection.station.value = s.slug) })),
  ...findings.value.map((f) => ({ group: 'Finding', name: f.title, hint: f.station, run: () => selection.show(f) })),
  ...(choices.catalogue.value?.symptoms ?? []).map((s) => ({
    group: 'It was',
    name: s.name,
    hint: s.says,
    run: () => void router.replace({ query: { ...route.query, way: 'look', look: s.key } }),
  })),
  ...parts.value.map((p) => ({ group: 'Part', name: p.name, run: () => selection.isolate(p.node) })),
  ...(choices.catalogue.value?.mends ?? [])
    .filter((m) => m.parameters.every((p) => p.default !== null))
    .map((m) => ({ group: 'Mend', name: m.title, run: () => tape.put(m.id, {}) })),
  { group: 'Do', name: 'Export and prove', hint: 'Ctrl+E', run: () => (exporting.value = true) },
  { group: 'Do', name: 'Tree of nodes', hint: 'i', run: () => (ways.way.value = 'tree') },
  { group: 'Do', name: 'The way to Fit', hint: 'f', run: () => way.openWay() },
  { group: 'Do', name: 'Recipes', run: () => (cooking.value = true) },
  { group: 'Do', name: 'Bring the next revision', hint: 'r', run: () => dropping.value?.choose() },
]);
useKeys('Bench', [
  { keys: ['j', 'k'], says: 'next, previous station', run: (e) => step(e.key === 'j' ? 1 : -1) },
  { keys: ['n', 'N'], says: 'next, previous finding', run: (e) => stepFinding(e.key === 'n' ? 1 : -1) },
  {
    keys: ['e'],
    says: 'evidence of the first finding here',
    run: () =>
      selection.show(
        selection.finding.value ? null : (findings.value.find((f) => f.station.toLowerCase() === selection.station.value) ?? null),
      ),
  },
  { keys: ['m'], says: "put the finding's mend on the tape", run: putMend },
  {
    keys: ['w'],
    says: 'waive the finding that is shown',
    run: () => selection.finding.value && !selection.finding.value.waived && (changes.asked.value = selection.finding.value.id),
  },
  { keys: ['z', 'Z'], says: 'undo, redo', run: (e) => changes.step.mutate(e.key === 'z' ? 'undo' : 'redo') },
  { keys: ['r'], says: 'bring the next revision', run: () => dropping.value?.choose() },
  { keys: ['f'], says: 'the way to Fit: look for it, or put it away', run: () => (way.wayOpen.value ? way.closeWay() : way.openWay()) },
  { keys: ['Ctrl+e'], says: 'export', run: () => (exporting.value = true) },
  { keys: ['Escape'], says: 'put things down', run: () => (way.wayOpen.value ? way.closeWay() : selection.show(null)) },
]);
</script>

<template>
  <div v-if="query.isPending.value" class="empty faded"><ResultMark result="pending" :size="22" /> Laying it on the bench …</div>
  <div v-else-if="query.error.value || !bench" class="empty">
    <ResultMark result="stop" :size="22" />
    <p>{{ query.error.value?.message }}</p>
    <div><button class="btn" @click="query.refetch()">Try again</button> <RouterLink class="btn" to="/">Back to the shelf</RouterLink></div>
  </div>
  <div v-else class="page" :style="{ '--hl-ledger-w': `${ledger}px` }">
    <RouteStrip />
    <div v-if="busy || failed" class="news" :class="{ failed }" role="status">
      <template v-if="failed"
        ><ResultMark result="stop" /> <span>{{ bench.error }}</span><button class="btn" @click="changes.again.mutate()">
          Try again
        </button></template
      >
      <template v-else>
        <ResultMark result="pending" />
        <span>{{ bench.tape.length ? 'Re-reading with the mends' : 'Reading' }}: {{ job?.phase ?? 'waiting' }}</span>
        <span class="strip"><i :style="{ width: `${100 * (job?.share ?? 0)}%` }" /></span>
        <button v-if="job" class="btn plain" @click="api.stopJob(job.id)">Stop</button>
      </template>
    </div>
    <p v-if="selection.unknown.value" class="news" role="status">
      <ResultMark result="caution" /> There is no station called {{ selection.unknown.value }}; the first with something to say is open.
    </p>
    <div v-if="bench.reading || bench.picture" class="bench">
      <StationLedger v-if="bench.reading" />
      <p v-else class="empty faded">The stations open as soon as the model is judged.</p>
      <StageView /><LedgerEdge v-model="ledger" />
    </div>
    <div v-else class="empty faded">
      <p>{{ failed ? 'Nothing could be measured, so there is nothing to show.' : 'The stations open as soon as the model is read.' }}</p>
    </div>
    <MendTape @export="exporting = true" @recipes="cooking = true" />
    <RecipeDialog v-if="everCooked" v-model:visible="cooking" />
    <BenchDrop ref="dropping" :bench="bench" />
    <ExportDialog v-if="everExported" v-model:visible="exporting" />
  </div>
</template>

<style scoped>
.page {
  height: 100%;
  display: flex;
  flex-direction: column;
  position: relative;
}
.bench {
  flex: 1;
  min-height: 0;
  position: relative;
  display: grid;
  grid-template-columns: var(--hl-ledger-w) minmax(0, 1fr);
  grid-template-rows: minmax(0, 1fr);
}
.news {
  position: absolute;
  top: calc(var(--hl-route-h) + 10px);
  left: calc(var(--hl-ledger-w) + 50%);
  transform: translateX(calc(-50% - var(--hl-ledger-w) / 2));
  z-index: 4;
  display: flex;
  align-items: center;
  gap: 8px;
  padding: 4px 12px;
  background: var(--hl-sheet);
  border: 1px solid var(--hl-rule-strong);
  border-radius: 3px;
  box-shadow: var(--hl-shadow-pop);
  font-size: 13px;
  white-space: nowrap;
}
.news.failed {
  border-left: 4px solid var(--hl-stop-mark);
  white-space: normal;
  max-width: 560px;
}
.strip {
  width: 110px;
  height: 7px;
  border: 1px solid var(--hl-rule-strong);
}
.strip i {
  display: block;
  height: 100%;
  background: repeating-linear-gradient(90deg, var(--hl-verdigris) 0 5px, var(--hl-verdigris-deep) 5px 6px);
}
.empty {
  flex: 1;
  height: 100%;
  display: flex;
  flex-direction: column;
  align-items: center;
  justify-content: center;
  gap: 10px;
  text-align: center;
}
@media (max-width: 1099px) {
  .bench {
    grid-template-columns: 1fr;
    grid-template-rows: minmax(0, 1fr) minmax(0, 1fr);
  }
  .news {
    left: 50%;
    transform: translateX(-50%);
  }
}
/* Where the page is too low for both, as at twice its size, it is scrolled: the stage keeps more than a third of what is seen. */
@media (max-width: 1099px) and (max-height: 560px) {
  .page {
    height: auto;
    min-height: 100%;
  }
  .bench {
    flex: none;
    grid-template-rows: 300px 320px;
  }
}
</style>
