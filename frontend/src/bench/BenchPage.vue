<script setup lang="ts">
import { computed, defineAsyncComponent, ref, watch } from 'vue';
import { useRoute } from 'vue-router';
import { api } from '../api/client';
import { jobs } from '../api/jobs';
import { useCommands } from '../app/commands';
import { useKeys } from '../app/keys';
import ResultMark from '../ui/ResultMark.vue';
import { once } from '../ui/once';
import BenchDrop from './BenchDrop.vue';
import MendTape from './MendTape.vue';
import RouteStrip from './RouteStrip.vue';
import StageView from './StageView.vue';
import StationLedger from './StationLedger.vue';
import { useBench } from './useBench';

const ExportDialog = defineAsyncComponent(() => import('./ExportDialog.vue'));
const RecipeDialog = defineAsyncComponent(() => import('./RecipeDialog.vue'));
const route = useRoute();
const state = useBench(computed(() => Number(route.params.revision)));
const { bench, query, stations, findings } = state;
const exporting = ref(false);
const cooking = ref(false);
const [everExported, everCooked] = [once(exporting), once(cooking)];
const dropping = ref<InstanceType<typeof BenchDrop>>();
/** Parts by name, from the table that lists them. */
const parts = computed(() => {
  const rows = stations.value.find((s) => s.slug === 'budget')?.tables.find((t) => t.key === 'parts')?.rows ?? [];
  return rows.filter((r) => typeof r.node === 'number').map((r) => ({ name: r.cells.part ?? '', node: r.node as number }));
});
/** The address of a row of a proof: what was read back is laid beside, and the part that the row is about marked. */
watch(
  [() => route.query.readback, () => bench.value?.reading?.inspection],
  ([id, inspection]) => {
    if (typeof id !== 'string' || !inspection) return;
    state.trial.layReadBack(Number(id));
    const part = parts.value.find((p) => p.name === route.query.at);
    state.spot.value = part ? { node: part.node, faces: [] } : null;
  },
  { immediate: true },
);
const job = computed(() => jobs.jobs.find((j) => j.id === bench.value?.job));
const busy = computed(() => bench.value?.state === 'waiting' || bench.value?.state === 'running');
const failed = computed(() => bench.value?.state === 'failed' || bench.value?.state === 'cancelled');

function step(by: number) {
  const k = stations.value.findIndex((s) => s.slug === state.station.value);
  const next = stations.value[Math.min(stations.value.length - 1, Math.max(0, k + by))];
  if (next) state.station.value = next.slug;
}
function stepFinding(by: number) {
  const all = findings.value;
  if (!all.length) return;
  const k = all.findIndex((f) => f.id === state.finding.value?.id);
  state.show(all[(k + by + all.length + (k < 0 && by < 0 ? 1 : 0)) % all.length]!);
}
function putMend() {
  const f = state.finding.value;
  const m = f?.mends[0];
  if (m && !state.onTape(m.mend, m.params)) state.put(m.mend, m.params);
}
useCommands(() => [
  ...stations.value.map((s) => ({ group: 'Station', name: s.name, hint: s.line, run: () => void (state.station.value = s.slug) })),
  ...findings.value.map((f) => ({ group: 'Finding', name: f.title, hint: f.station, run: () => state.show(f) })),
  ...parts.value.map((p) => ({ group: 'Part', name: p.name, run: () => state.isolate(p.node) })),
  ...(state.catalogue.value?.mends ?? [])
    .filter((m) => m.parameters.every((p) => p.default !== null))
    .map((m) => ({ group: 'Mend', name: m.title, run: () => state.put(m.id, {}) })),
  { group: 'Do', name: 'Export and prove', hint: 'Ctrl+E', run: () => (exporting.value = true) },
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
      state.show(state.finding.value ? null : (findings.value.find((f) => f.station.toLowerCase() === state.station.value) ?? null)),
  },
  { keys: ['m'], says: "put the finding's mend on the tape", run: putMend },
  {
    keys: ['w'],
    says: 'waive the finding that is shown',
    run: () => state.finding.value && !state.finding.value.waived && (state.asked.value = state.finding.value.id),
  },
  { keys: ['z', 'Z'], says: 'undo, redo', run: (e) => state.step.mutate(e.key === 'z' ? 'undo' : 'redo') },
  { keys: ['r'], says: 'bring the next revision', run: () => dropping.value?.choose() },
  { keys: ['Ctrl+e'], says: 'export', run: () => (exporting.value = true) },
  { keys: ['Escape'], says: 'put things down', run: () => state.show(null) },
]);
</script>

<template>
  <div v-if="query.isPending.value" class="empty faded"><ResultMark result="pending" :size="22" /> Laying it on the bench …</div>
  <div v-else-if="query.error.value || !bench" class="empty">
    <ResultMark result="stop" :size="22" />
    <p>{{ query.error.value?.message }}</p>
    <div><button class="btn" @click="query.refetch()">Try again</button> <RouterLink class="btn" to="/">Back to the shelf</RouterLink></div>
  </div>
  <div v-else class="page">
    <RouteStrip :state="state" />
    <div v-if="busy || failed" class="news" :class="{ failed }" role="status">
      <template v-if="failed"
        ><ResultMark result="stop" /> <span>{{ bench.error }}</span><button class="btn" @click="state.again.mutate()">
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
    <div v-if="bench.reading" class="bench"><StationLedger :state="state" /><StageView :bench="state" /></div>
    <div v-else class="empty faded">
      <p>{{ failed ? 'Nothing could be measured, so there is nothing to show.' : 'The stations open as soon as the model is read.' }}</p>
    </div>
    <MendTape :state="state" @export="exporting = true" @recipes="cooking = true" />
    <RecipeDialog v-if="everCooked" v-model:visible="cooking" :state="state" />
    <BenchDrop ref="dropping" :bench="bench" />
    <ExportDialog v-if="everExported" v-model:visible="exporting" :state="state" />
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
</style>
