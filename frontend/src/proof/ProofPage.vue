<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query';
import { computed, ref, watch } from 'vue';
import { useRoute } from 'vue-router';
import { api, type ProofRow } from '../api/client';
import { jobs } from '../api/jobs';
import { nameTab } from '../app/title';
import { bytes } from '../ui/bytes';
import CutName from '../ui/CutName.vue';
import GateSlip from './GateSlip.vue';
import StillThere from './StillThere.vue';
import ResultMark from '../ui/ResultMark.vue';

const route = useRoute();
const id = computed(() => Number(route.params.export));
const { data, error, refetch } = useQuery({
  queryKey: computed(() => ['export', id.value]),
  queryFn: () => api.export(id.value),
  refetchInterval: (q) =>
    !q.state.error && [q.state.data?.state ?? 'waiting', q.state.data?.sendings[0]?.state].some((s) => s === 'waiting' || s === 'running')
      ? 700
      : false,
});
watch(
  () => data.value?.model,
  (model) => model && nameTab(model, `rev ${data.value!.number}`, 'Proof'),
  { immediate: true },
);
const only = ref<'all' | 'differences'>('all');
const rows = computed(() => (data.value?.proof?.rows ?? []).filter((r) => only.value === 'all' || r.result !== 'clear'));
const differences = computed(() => (data.value?.proof?.rows ?? []).filter((r) => r.result !== 'clear').length);
const groups = computed(() => {
  const out = new Map<string, ProofRow[]>();
  for (const r of rows.value) out.set(r.group, [...(out.get(r.group) ?? []), r]);
  return [...out];
});
const rowsOf = (n: number, one: string, many: string) => `${n} ${n === 1 ? one : many}`;
/** One row that differs is enough for "not proved"; an expected loss is told apart from it. */
const verdict = computed(() => {
  const { stop, caution } = data.value!.proof!.verdict;
  const said = caution ? `${rowsOf(caution, 'differs', 'differ')} as expected` : '';
  return stop
    ? `${rowsOf(stop, 'row differs', 'rows differ')}${said ? ` · ${said}` : ''}`
    : said
      ? `nothing else differs · ${said}`
      : 'nothing differs';
});
const WORDS: Record<string, string> = { clear: 'same', caution: 'expected', stop: 'differs' };
/** Where on the model a row can be shown: what was read back is laid beside what was sent. */
const shown = (r: ProofRow) =>
  data.value?.stage && r.places.length
    ? `/bench/${data.value.revision}?readback=${data.value.id}&at=${encodeURIComponent(r.places[0]!.part)}`
    : '';
const job = computed(() => jobs.jobs.find((j) => j.subject.export === id.value));
const size = computed(() => (data.value?.files ?? []).reduce((s, f) => s + f.bytes, 0));
</script>

<template>
  <div v-if="error" class="empty">
    <ResultMark result="stop" :size="22" />
    <p>{{ error.message }}</p>
    <button class="btn" @click="refetch()">Try again</button>
  </div>
  <div v-else-if="!data || data.state === 'waiting' || data.state === 'running'" class="empty faded">
    <ResultMark result="pending" :size="22" />
    <p>{{ job?.phase ?? 'waiting' }} …</p>
    <button v-if="job" class="btn" @click="api.stopJob(job.id)">Stop</button>
  </div>
  <div v-else-if="data.state !== 'done'" class="empty">
    <ResultMark result="stop" :size="22" />
    <p>{{ data.error }}</p>
    <div>
      <button v-if="job" class="btn" @click="api.tryJobAgain(job.id).then(() => refetch())">Try again</button>
      <RouterLink class="btn" :to="`/bench/${data.revision}`">Back to the Bench</RouterLink>
    </div>
  </div>
  <div v-else class="page">
    <section class="route">
      <div>
        <h1>
          {{ data.model }} <span class="mono">rev {{ data.number }}</span>
        </h1>
        <p class="mono small"><CutName :text="data.download ?? ''" /> · {{ bytes(size) }}</p>
      </div>
      <p class="sent">
        <span class="faded">sent with</span> <span class="mono">{{ data.mends }} {{ data.mends === 1 ? 'mend' : 'mends' }}</span
        ><span class="dots" aria-hidden="true" /><i class="display">and read back, {{ data.proof?.rows.length }} rows</i>
      </p>
      <div v-if="data.proof" class="stamp" :class="data.proof.proved ? 'clear' : 'stop'" role="status">
        <b>{{ data.proof.proved ? 'Proved' : 'Not proved' }}</b><span>{{ verdict }}</span>
      </div>
    </section>
    <div class="columns">
      <section class="rows">
        <div class="head">
          <h2>Proof of rev {{ data.number }}</h2>
          <span class="faded grow">The file was opened again and measured afresh.</span>
          <div role="group" aria-label="Rows" class="tabs">
            <button :aria-pressed="only === 'all'" @click="only = 'all'">
              All rows <span class="mono faded">{{ data.proof?.rows.length }}</span>
            </button>
            <button :aria-pressed="only === 'differences'" @click="only = 'differences'">
              Differences <span class="mono faded">{{ differences }}</span>
            </button>
          </div>
        </div>
        <p v-if="!rows.length" class="faded none">Nothing differs.</p>
        <table v-else>
          <thead>
            <tr>
              <th>Row</th>
              <th class="r">Sent</th>
              <th class="r">Read back</th>
              <th>Difference</th>
              <th>Where, and within what</th>
              <th>Outcome</th>
            </tr>
          </thead>
          <tbody v-for="[group, list] in groups" :key="group">
            <tr class="group">
              <th colspan="6" scope="rowgroup">{{ group }}</th>
            </tr>
            <tr v-for="r in list" :key="`${r.what} ${r.remark}`" :class="r.result === 'clear' ? '' : `row-${r.result}`">
              <td>{{ r.what }}</td>
              <template v-if="r.result === 'caution'"
                ><td class="r mono faded">{{ r.sent }}</td>
                <td class="r mono">{{ r.read_back }}</td>
                <td class="small" colspan="2">{{ r.remark }}</td></template
              >
              <template v-else
                ><td class="r mono faded">{{ r.sent }}</td>
                <td class="r mono">{{ r.read_back }}</td>
                <td class="stop">{{ r.result === 'stop' ? r.difference : '' }}</td>
                <td class="small">
                  {{ r.where || r.remark }} <RouterLink v-if="shown(r)" class="btn" :to="shown(r)">Show it</RouterLink>
                </td></template
              >
              <td class="outcome"><ResultMark :result="r.result" /> {{ WORDS[r.result] }}</td>
            </tr>
          </tbody>
        </table>
      </section>
      <aside>
        <div class="slip">
          <h2>Losses listed before writing</h2>
          <p class="faded small">What {{ data.format.toUpperCase() }} cannot hold of this model.</p>
          <ul v-if="data.lost.length">
            <li v-for="l in data.lost" :key="l">{{ l }}</li>
          </ul>
          <p v-else>It holds all of it.</p>
          <h2>Files</h2>
          <ul class="mono small">
            <li v-for="f in data.files" :key="f.path">
              {{ f.path }} <span class="faded">{{ bytes(f.bytes) }}</span>
            </li>
          </ul>
        </div>
        <div class="slip"><GateSlip :made="data" @changed="refetch()" /></div>
        <div class="acts">
          <p v-if="data.proof && !data.proof.proved" class="warned">
            The file is not what was checked here. Look at what differs before you pass it on.
          </p>
          <a class="btn big" :class="{ main: data.proof?.proved }" :href="`/api/exports/${data.id}/download`" :download="data.download"
            >Download {{ data.download }}{{ data.proof && !data.proof.proved ? ' all the same' : '' }}</a
          >
          <RouterLink class="btn big" :to="`/bench/${data.revision}`">Back to the Bench</RouterLink>
        </div>
        <StillThere :id="data.id" />
      </aside>
    </div>
  </div>
</template>

<style scoped>
.warned {
  flex-basis: 100%;
  margin: 0 0 4px;
  color: var(--hl-stop-text);
}
.page {
  height: 100%;
  display: flex;
  flex-direction: column;
}
.route {
  height: var(--hl-route-h);
  flex: none;
  display: grid;
  grid-template-columns: 300px 1fr auto;
  align-items: center;
  padding: 0 16px;
  border-bottom: 1px solid var(--hl-rule);
}
.route > :last-child {
  justify-self: end;
}
h1 {
  font: 600 21px/1.1 var(--hl-font-display);
}
h1 .mono {
  font-size: 12.5px;
  font-weight: 500;
  color: var(--hl-ink-faded);
}
.sent {
  display: flex;
  gap: 10px;
  align-items: center;
  justify-content: center;
}
.dots {
  width: 120px;
  border-top: 2px dotted var(--hl-ink);
}
.columns {
  flex: 1;
  min-height: 0;
  display: grid;
  grid-template-columns: minmax(0, 1fr) 440px;
}
.rows {
  background: var(--hl-sheet);
  border-right: 1px solid var(--hl-rule);
  padding: 12px 20px;
  overflow: auto;
}
.head {
  display: flex;
  align-items: baseline;
  gap: 12px;
}
h2 {
  font: 600 18px/1.2 var(--hl-font-display);
  white-space: nowrap;
}
.tabs button {
  border: 0;
  background: none;
  min-height: 26px;
  cursor: pointer;
  font-size: 13px;
  margin-left: 8px;
}
.tabs button[aria-pressed='true'] {
  font-weight: 700;
  border-bottom: 2px solid var(--hl-verdigris);
}
table {
  border-collapse: collapse;
  width: 100%;
  font-size: 13px;
  margin-top: 4px;
}
th {
  text-align: left;
  font-weight: 400;
  font-size: 12px;
  color: var(--hl-ink-faded);
  padding: 2px 8px;
  border-bottom: 1.5px solid var(--hl-ink);
  white-space: nowrap;
}
.group th {
  font: 600 15px var(--hl-font-display);
  color: var(--hl-ink);
  padding: 8px 8px 3px 0;
  border-bottom: 1px solid var(--hl-rule-strong);
}
td {
  padding: 2px 8px;
  height: 23px;
  border-bottom: 1px solid #eae2d2;
}
.r {
  text-align: right;
  white-space: nowrap;
}
td.mono {
  font-size: 12.5px;
}
.row-note td {
  background: #f1f3f4;
}
.row-caution td {
  background: #fdf8ec;
}
.row-stop td {
  background: #fdf6f3;
}
.outcome {
  white-space: nowrap;
  font-weight: 700;
}
.stamp {
  border: 2px solid;
  border-radius: 4px;
  padding: 3px 11px 4px;
  transform: rotate(-1.4deg);
  text-align: center;
  line-height: 1.15;
  outline: 1px solid;
  outline-offset: 2px;
  background: var(--hl-sheet);
  white-space: nowrap;
}
.stamp b {
  font: 600 17px/1 var(--hl-font-display);
  display: block;
}
.stamp span {
  font-size: 12.5px;
  font-weight: 700;
}
.none {
  padding: 30px 0;
}
aside {
  padding: 14px 20px;
  display: flex;
  flex-direction: column;
  gap: 14px;
  overflow: auto;
}
.slip {
  background: var(--hl-sheet);
  padding: 14px 16px 22px;
  box-shadow: var(--hl-shadow-pop);
  display: grid;
  gap: 6px;
  clip-path: polygon(
    0 0,
    100% 0,
    100% calc(100% - 6px),
    97.5% 100%,
    95% calc(100% - 6px),
    92.5% 100%,
    90% calc(100% - 6px),
    87.5% 100%,
    85% calc(100% - 6px),
    82.5% 100%,
    80% calc(100% - 6px),
    77.5% 100%,
    75% calc(100% - 6px),
    72.5% 100%,
    70% calc(100% - 6px),
    67.5% 100%,
    65% calc(100% - 6px),
    62.5% 100%,
    60% calc(100% - 6px),
    57.5% 100%,
    55% calc(100% - 6px),
    52.5% 100%,
    50% calc(100% - 6px),
    47.5% 100%,
    45% calc(100% - 6px),
    42.5% 100%,
    40% calc(100% - 6px),
    37.5% 100%,
    35% calc(100% - 6px),
    32.5% 100%,
    30% calc(100% - 6px),
    27.5% 100%,
    25% calc(100% - 6px),
    22.5% 100%,
    20% calc(100% - 6px),
    17.5% 100%,
    15% calc(100% - 6px),
    12.5% 100%,
    10% calc(100% - 6px),
    7.5% 100%,
    5% calc(100% - 6px),
    2.5% 100%,
    0 calc(100% - 6px)
  );
}
.slip ul {
  margin: 0;
  padding-left: 18px;
}
.acts {
  display: flex;
  gap: 8px;
  flex-wrap: wrap;
}
.empty {
  height: 100%;
  display: flex;
  flex-direction: column;
  align-items: center;
  justify-content: center;
  gap: 10px;
}
</style>
