<script setup lang="ts">
import { keepPreviousData, useInfiniteQuery, useMutation, useQuery, useQueryClient } from '@tanstack/vue-query';
import Popover from 'primevue/popover';
import { useToast } from 'primevue/usetoast';
import { computed, nextTick, ref, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { api, type Batch, type Laying, type TrialWish } from '../api/client';
import { useKeys } from '../app/keys';
import ResultMark from '../ui/ResultMark.vue';
import BatchExport from './BatchExport.vue';
import BoardTable from './BoardTable.vue';
import TroubleCards from './TroubleCards.vue';
import { doing, layingWords, left, many, since, wished } from './batch';

const route = useRoute();
const router = useRouter();
const queries = useQueryClient();
const toast = useToast();
const id = computed(() => Number(route.params.batch));
const show = ref('all');
const sort = ref('worst');
const find = ref('');
const chosen = ref(new Set<number>());
const onlyTrouble = ref(false);
const exporting = ref(false);
const recipesOver = ref<InstanceType<typeof Popover>>();
const recipesButton = ref<HTMLButtonElement>();
watch(id, () => {
  chosen.value = new Set();
  show.value = 'all';
});
const { data: catalogue } = useQuery({ queryKey: ['catalogue'], queryFn: api.catalogue, staleTime: Infinity });
const { data: recipes } = useQuery({ queryKey: ['recipes'], queryFn: api.recipes });
const { data, error, isPending, refetch, hasNextPage, isFetchingNextPage, fetchNextPage } = useInfiniteQuery({
  queryKey: computed(() => ['batch', id.value, 'rows', show.value, sort.value, find.value.trim()]),
  queryFn: ({ pageParam }) => api.batch(id.value, { show: show.value, sort: sort.value, search: find.value.trim() }, pageParam),
  initialPageParam: 0,
  getNextPageParam: (last, all) => {
    const n = all.reduce((sum, p) => sum + p.rows.length, 0);
    return last.rows.length && n < last.found ? n : undefined;
  },
  placeholderData: keepPreviousData,
  // Another person, or a job, may have changed it.
  refetchInterval: (q) => (q.state.data?.pages[0]?.batch.state === 'running' ? 1500 : 6000),
});
const last = computed(() => data.value?.pages.at(-1));
const batch = computed(() => last.value?.batch);
const rows = computed(() => [...new Map((data.value?.pages ?? []).flatMap((p) => p.rows).map((r) => [r.model, r])).values()]);
const sheet = computed(() => catalogue.value?.sheets.find((s) => s.slug === batch.value?.sheet));
const sums = computed(() => last.value?.stations ?? {});
const stations = computed(() =>
  (catalogue.value?.stations ?? [])
    .map((s, k) => ({ slug: s.slug, name: s.name, number: k + 1 }))
    .filter((s) => !onlyTrouble.value || (sums.value[s.slug]?.stop ?? 0) + (sums.value[s.slug]?.caution ?? 0) > 0),
);
const running = computed(() => batch.value?.state === 'running');
const done = computed(() => (batch.value ? batch.value.models - batch.value.count.waiting : 0));
const share = computed(() => (batch.value?.models ? done.value / batch.value.models : 1));
const filters = computed(() => {
  const c = batch.value?.count;
  const kinds = [
    { key: 'all', label: 'All models', mark: '', n: batch.value?.models },
    { key: 'held', label: 'Held', mark: 'stop', n: c?.held },
    { key: 'cautions', label: 'Cautions only', mark: 'caution', n: c?.cautions },
    { key: 'fit', label: 'Nothing to mend', mark: 'clear', n: c?.fit },
    { key: 'proved', label: 'Proved', mark: 'clear', n: c?.proved },
    { key: 'failed', label: 'Failed', mark: 'stop', n: c?.failed },
    { key: 'changed', label: 'Changed since', mark: '', n: c?.changed },
    { key: 'tried', label: 'Tried', mark: '', n: c?.tried },
  ];
  return kinds.filter((f) => f.key === 'all' || f.key === show.value || f.n);
});
const better = computed(() => (batch.value ? since(batch.value) : []));
const tried = computed(() => (batch.value && batch.value.count.tried && !running.value ? batch.value.count.tried : 0));

const complain = (e: Error) => toast.add({ severity: 'error', summary: e.message, life: 8000 });
const renew = () => {
  void queries.invalidateQueries({ queryKey: ['batch', id.value] });
  void queries.invalidateQueries({ queryKey: ['batches'] });
};
const steer = useMutation({
  mutationFn: (how: 'pause' | 'go-on' | 'stop' | 'again') => api.steerBatch(id.value, how),
  onError: complain,
  onSettled: renew,
});
const tryAll = useMutation({ mutationFn: (wish: TrialWish) => api.tryOnAll(id.value, wish), onError: complain, onSettled: renew });
const write = useMutation({
  mutationFn: (wish: { format: string; whole: boolean; models: number[] | null }) => api.exportAll(id.value, wish),
  onError: complain,
  onSettled: renew,
});
const told = (verb: string) => (made: Laying) => toast.add({ severity: 'info', summary: layingWords(made, verb), life: 9000 });
const keep = useMutation({
  mutationFn: () => api.keepTried(id.value, few.value),
  onSuccess: told('Put on'),
  onError: complain,
  onSettled: renew,
});
const back = useMutation({
  mutationFn: () => api.takeBack(id.value),
  onSuccess: told('Taken back from'),
  onError: complain,
  onSettled: renew,
});
const forget = useMutation({ mutationFn: () => api.forgetTried(id.value), onError: complain, onSettled: renew });
/** The models that are chosen, or null for all. */
const few = computed(() => (chosen.value.size ? [...chosen.value] : null));
const onHow = computed(() => (few.value ? many(few.value.length, 'chosen model') : 'all'));
const busy = computed(() => running.value || tryAll.isPending.value || keep.isPending.value);
function started(b: Batch) {
  const minutes = Math.round((Date.now() - new Date(b.created).getTime()) / 60_000);
  if (minutes < 1) return 'begun just now';
  if (minutes < 90) return `begun ${many(minutes, 'minute')} ago`;
  return `begun ${new Date(b.created).toLocaleDateString('en', { day: 'numeric', month: 'long' })}`;
}
/** Whoever came to do one thing with these models finds it open, as soon as they are judged. */
watch(
  () => batch.value?.state === 'done' && route.query.open,
  async (what) => {
    if (what === 'export') exporting.value = true;
    if (what === 'recipe') {
      await nextTick();
      if (recipesButton.value) recipesOver.value?.show(new Event('open'), recipesButton.value);
    }
    if (what) void router.replace({ query: {} });
  },
  { immediate: true },
);
useKeys('Batch', [
  { keys: ['p'], says: 'pause, or go on', run: () => batch.value && steer.mutate(running.value ? 'pause' : 'go-on') },
  { keys: ['e'], says: 'export the models', run: () => (exporting.value = true) },
]);
</script>

<template>
  <div v-if="error" class="empty">
    <ResultMark result="stop" :size="22" />
    <p>{{ error.message }}</p>
    <button class="btn" @click="refetch()">Try again</button>
  </div>
  <p v-else-if="isPending || !batch" class="empty faded">Looking at the batch …</p>
  <div v-else class="page">
    <header>
      <div class="title">
        <h1>
          {{ batch.name }} <em>against</em> <span class="code">{{ sheet?.code }}</span> {{ sheet?.name }}
        </h1>
        <span class="faded small">{{ many(batch.models, 'model') }} · {{ doing(batch) }} · {{ started(batch) }}</span>
      </div>
      <div
        class="ruler"
        role="progressbar"
        :aria-valuenow="Math.round(100 * share)"
        aria-valuemin="0"
        aria-valuemax="100"
        aria-label="Batch"
      >
        <i><b :style="{ width: `${100 * share}%` }" /></i>
        <span class="mono small">{{ done }} of {{ batch.models }}{{ left(batch.seconds_left) && ` · ${left(batch.seconds_left)}` }}</span>
      </div>
      <div class="acts">
        <template v-if="running">
          <button class="btn" @click="steer.mutate('pause')">Pause</button>
          <button class="btn" @click="steer.mutate('stop')">Stop</button>
        </template>
        <button v-else-if="batch.state !== 'done'" class="btn main" @click="steer.mutate('go-on')">Go on</button>
        <button v-if="batch.count.failed" class="btn" @click="steer.mutate('again')">Try {{ batch.count.failed }} failed again</button>
        <button ref="recipesButton" class="btn" :disabled="busy" aria-haspopup="menu" @click="recipesOver?.toggle($event)">
          Try a recipe …
        </button>
        <button class="btn" :disabled="busy" @click="exporting = true">Export …</button>
        <button class="btn main" :disabled="busy" @click="tryAll.mutate({ kind: 'way', models: few })">
          Look for the way to Fit on {{ onHow }}
        </button>
      </div>
    </header>
    <div class="bar">
      <div class="filters" role="group" aria-label="Show">
        <button v-for="f in filters" :key="f.key" class="btn" :aria-pressed="show === f.key" @click="show = f.key">
          <ResultMark v-if="f.mark" :result="f.mark" :size="12" /> {{ f.label }} <span class="mono">{{ f.n }}</span>
        </button>
      </div>
      <button class="btn" :aria-pressed="onlyTrouble" @click="onlyTrouble = !onlyTrouble">Only stations with trouble</button>
      <label class="small faded"
        >sorted by
        <select v-model="sort">
          <option value="worst">worst</option>
          <option value="name">name</option>
          <option value="arrival">arrival</option>
          <option value="age">last change</option>
        </select></label
      >
      <input v-model="find" type="search" class="find" placeholder="Find a model" aria-label="Find a model of this batch" />
      <span class="grow" />
      <span v-if="better.length" class="small"
        >Since first judged:
        <b v-for="(x, k) in better" :key="x.what" :class="x.fewer > 0 ? 'clear' : 'stop'"
          >{{ k ? ', ' : '' }}{{ Math.abs(x.fewer) }} {{ x.what }} {{ x.fewer > 0 ? 'fewer' : 'more' }}</b
        ></span
      >
    </div>
    <p v-if="tried" class="strip" role="status">
      <b>Tried on copies: {{ wished(batch) }}, {{ many(tried, 'model') }}.</b> The last column says how each would stand.
      <span class="grow" />
      <button class="btn main" :disabled="busy" @click="keep.mutate()">
        Put it on the tapes that it helps{{ few ? ` (${onHow})` : '' }}
      </button>
      <button class="btn" :disabled="busy" @click="forget.mutate()">Throw the trial away</button>
    </p>
    <p v-else-if="batch.laid && !running" class="strip" role="status">
      {{ many(batch.laid, 'tape') }} changed from here.
      <span class="grow" />
      <button class="btn" :disabled="busy" @click="back.mutate()">Take it back</button>
    </p>
    <p v-if="batch.step === 'export' && !running && batch.count.proved" class="strip" role="status">
      <b>{{ batch.count.proved }} of {{ batch.models }} proved.</b>
      <span class="grow" />
      <a class="btn main" :href="`/api/batches/${batch.id}/packages`" download>Download all packages</a>
    </p>
    <div class="frame">
      <BoardTable v-model:chosen="chosen" :batch="batch.id" :rows="rows" :stations="stations" :sums="sums" />
      <p v-if="!rows.length" class="none faded">No model here goes by that.</p>
      <p v-if="hasNextPage" class="more">
        <button class="btn" :disabled="isFetchingNextPage" @click="fetchNextPage()">Show more</button>
        <span class="faded small">{{ rows.length }} of {{ last?.found }} shown</span>
      </p>
    </div>
    <TroubleCards
      :batch="batch.id"
      :busy="busy"
      :poll="running ? 4000 : false"
      @mend="(check, mend, name) => tryAll.mutate({ kind: 'mend', check, mend, name, models: null })"
    />
    <footer class="small faded">
      <span
        v-for="[k, w] in [
          ['stop', 'will break there'],
          ['caution', 'may differ'],
          ['note', 'worth knowing'],
          ['clear', 'clear'],
          ['waived', 'waived by you'],
          ['pending', 'not yet'],
          ['nothing', 'nothing to check'],
        ]"
        :key="k"
        ><ResultMark :result="k!" :size="12" /> {{ w }}</span
      >
      <span class="grow" />
      <span
        >Board <a :href="`/api/batches/${batch.id}/csv`" download>CSV</a> · report
        <template v-for="(e, k) in ['html', 'pdf', 'csv']" :key="e"
          >{{ k ? ', ' : '' }}<a :href="`/api/batches/${batch.id}/report.${e}`" download>{{ e.toUpperCase() }}</a></template
        ></span
      >
      <span>Arrow keys move between cells, Enter opens the Bench there</span>
    </footer>
    <Popover ref="recipesOver" aria-label="Recipes">
      <ul v-if="recipes?.recipes.length" class="recipes">
        <li v-for="r in recipes.recipes" :key="r.id">
          <button
            class="btn plain"
            @click="(recipesOver?.hide(), tryAll.mutate({ kind: 'recipe', name: r.name, slips: r.slips, models: few }))"
          >
            {{ r.name }}</button><span class="faded small">{{ many(r.slips.length, 'mend') }}</span>
        </li>
      </ul>
      <p v-else class="faded small">No recipe is kept yet. On a Bench, keep a tape as a recipe; it is listed here then.</p>
    </Popover>
    <BatchExport v-if="exporting" v-model:visible="exporting" :batch="batch" :chosen="[...chosen]" @begin="write.mutate($event)" />
  </div>
</template>

<style scoped>
.page {
  height: 100%;
  display: flex;
  flex-direction: column;
  gap: 8px;
  padding: 10px 20px 8px;
  overflow: auto;
}
header {
  display: flex;
  align-items: center;
  gap: 16px;
  flex-wrap: wrap;
}
.title {
  flex: 1 1 300px;
  min-width: 0;
}
h1 {
  font: 600 22px/1.15 var(--hl-font-display);
  overflow-wrap: anywhere;
}
h1 em {
  font-weight: 400;
  color: var(--hl-ink-faded);
  font-size: 18px;
}
.ruler {
  width: 220px;
}
.ruler i {
  display: block;
  height: 10px;
  border: 1px solid var(--hl-rule-strong);
  background: var(--hl-sheet);
}
.ruler b {
  display: block;
  height: 100%;
  background: repeating-linear-gradient(90deg, var(--hl-verdigris) 0 9px, var(--hl-verdigris-deep) 9px 10px);
}
.acts,
.filters,
.bar {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  align-items: center;
}
.bar {
  gap: 12px;
}
.find {
  width: 130px;
  height: 24px;
  border: 0;
  border-bottom: 1px solid var(--hl-rule-strong);
  background: none;
  font-size: 13px;
}
.strip {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 8px;
  margin: 0;
  padding: 5px 10px;
  background: var(--hl-paper-deep);
  border: 1px solid var(--hl-rule);
  font-size: 13px;
}
.frame {
  flex: 1 1 200px;
  min-height: 200px;
  overflow: auto;
  border: 1px solid var(--hl-rule-strong);
  background: var(--hl-sheet);
}
.more,
.none {
  display: flex;
  gap: 10px;
  justify-content: center;
  align-items: baseline;
  padding: 10px;
}
footer {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 14px;
}
.recipes {
  list-style: none;
  margin: 0;
  padding: 0;
}
</style>
