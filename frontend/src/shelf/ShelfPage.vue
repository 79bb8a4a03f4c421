<script setup lang="ts">
import { keepPreviousData, useInfiniteQuery, useMutation, useQuery, useQueryClient } from '@tanstack/vue-query';
import Dialog from 'primevue/dialog';
import { useToast } from 'primevue/usetoast';
import { computed, ref, watch } from 'vue';
import { api, type ShelfModel } from '../api/client';
import { jobs } from '../api/jobs';
import { useKeys } from '../app/keys';
import ResultCounts from '../ui/ResultCounts.vue';
import ResultMark from '../ui/ResultMark.vue';
import DropZone from './DropZone.vue';
import ShelfItem from './ShelfItem.vue';
import WatchField from './WatchField.vue';

const queries = useQueryClient();
const toast = useToast();
const { data: catalogue } = useQuery({ queryKey: ['catalogue'], queryFn: api.catalogue, staleTime: Infinity });
const show = ref<'all' | 'held' | 'fit'>('all');
const find = ref('');
const zone = ref<InstanceType<typeof DropZone>>();
const leaving = ref<ShelfModel | null>(null);

/** What is searched for, once the typing rests. */
const sought = ref('');
let resting = 0;
watch(find, (text) => {
  window.clearTimeout(resting);
  resting = window.setTimeout(() => (sought.value = text.trim()), 200);
});
const { data, error, isPending, refetch, hasNextPage, isFetchingNextPage, fetchNextPage } = useInfiniteQuery({
  queryKey: computed(() => ['shelf', 'pages', sought.value, show.value]),
  queryFn: ({ pageParam }) => api.shelf(sought.value, show.value, pageParam),
  initialPageParam: 0,
  getNextPageParam: (last, all) => {
    const shown = all.reduce((n, p) => n + p.models.length, 0);
    return last.models.length && shown < last.found ? shown : undefined;
  },
  placeholderData: keepPreviousData,
});
// Between two pages something may have been touched and so moved: each model is shown once.
const shown = computed(() => [...new Map((data.value?.pages ?? []).flatMap((p) => p.models).map((m) => [m.id, m])).values()]);
const found = computed(() => data.value?.pages.at(-1)?.found ?? 0);
const totals = computed(() => data.value?.pages.at(-1)?.totals);
const filters = computed(() => [
  { key: 'all' as const, label: 'Everything', n: totals.value?.models ?? 0 },
  { key: 'held' as const, label: 'Held', n: totals.value?.held ?? 0 },
  { key: 'fit' as const, label: 'Fit everywhere', n: totals.value?.fit ?? 0 },
]);
const reading = computed(() => totals.value?.reading ?? 0);
/** A drop that failed made no model, so it is told of here. */
const lostDrops = computed(() => jobs.jobs.filter((j) => j.kind === 'intake' && j.state === 'failed'));
const stopsOn = (slug: string) => totals.value?.stops[slug] ?? 0;

const remove = useMutation({
  mutationFn: (m: ShelfModel) => api.removeModel(m.id),
  onError: (e) => toast.add({ severity: 'error', summary: e.message, life: 8000 }),
  onSettled: () => queries.invalidateQueries({ queryKey: ['shelf'] }),
});
const again = useMutation({
  mutationFn: (m: ShelfModel) => api.readAgain(m.revision),
  onSettled: () => queries.invalidateQueries({ queryKey: ['shelf'] }),
});
function takeOff() {
  if (leaving.value) remove.mutate(leaving.value);
  leaving.value = null;
}

useKeys('Shelf', [{ keys: ['d'], says: 'choose files', run: () => zone.value?.choose() }]);
</script>

<template>
  <div class="page">
    <div class="top">
      <DropZone ref="zone" />
      <div class="right">
        <div class="line">
          <h1>Shelf</h1>
          <span class="faded"
            >{{ (totals?.models ?? 0).toLocaleString('en') }} {{ totals?.models === 1 ? 'model' : 'models' }} ·
            {{ (totals?.triangles ?? 0).toLocaleString('en') }} triangles<template v-if="reading">
              · {{ reading }} still being read</template
            ></span
          >
          <span class="grow" />
          <div class="filters" role="group" aria-label="Show">
            <button v-for="f in filters" :key="f.key" :aria-pressed="show === f.key" @click="show = f.key">
              {{ f.label }} <span class="mono faded">{{ f.n }}</span>
            </button>
          </div>
          <input v-model="find" class="find" type="search" placeholder="Find a model" aria-label="Find a model" />
        </div>
        <ul class="sheets" aria-label="Rule sheets, with how many models each holds back">
          <li v-for="s in catalogue?.sheets ?? []" :key="s.slug" :title="s.about">
            <span class="code">{{ s.code }}</span><span class="name">{{ s.name }}</span
            ><ResultCounts :counts="{ stop: stopsOn(s.slug), caution: 0, note: 0 }" :size="12" />
          </li>
        </ul>
        <div class="legend">
          <span
            v-for="[k, w] in [
              ['stop', 'will break there'],
              ['caution', 'may differ'],
              ['note', 'worth knowing'],
              ['clear', 'clear'],
              ['pending', 'not yet'],
            ]"
            :key="k"
            ><ResultMark :result="k!" :size="12" /> {{ w }}</span
          >
          <span class="grow" />
          <WatchField />
        </div>
      </div>
    </div>

    <p v-for="j in lostDrops" :key="j.id" class="lost" role="alert">
      <ResultMark result="stop" /> <b>{{ j.title }}</b> did not work: {{ j.error }}
    </p>
    <div v-if="error" class="empty">
      <ResultMark result="stop" :size="22" />
      <p>{{ error.message }}</p>
      <button class="btn" @click="refetch()">Try again</button>
    </div>
    <div v-else-if="isPending" class="empty faded">
      <ResultMark result="pending" :size="22" />
      <p>Looking along the shelf …</p>
    </div>
    <div v-else-if="!totals?.models" class="empty">
      <p class="display big">The shelf is empty.</p>
      <p class="faded">
        Drop a model with its textures anywhere on this page: glTF, OBJ, USD, COLLADA, 3MF, PLY, STL or OFF, a folder or a zip.
      </p>
    </div>
    <div v-else-if="!shown.length" class="empty faded"><p>No model here goes by that.</p></div>
    <ul v-else class="shelf">
      <ShelfItem v-for="m in shown" :key="m.id" :model="m" @remove="leaving = m" @again="again.mutate(m)" />
    </ul>
    <p v-if="hasNextPage" class="more">
      <button class="btn" :disabled="isFetchingNextPage" @click="fetchNextPage()">Show more</button
      ><span class="faded">{{ shown.length.toLocaleString('en') }} of {{ found.toLocaleString('en') }} shown</span>
    </p>

    <Dialog :visible="!!leaving" modal :header="`Take ${leaving?.name} off the shelf?`" @update:visible="leaving = null">
      <p>Its revisions, mends and exports here go with it. The files on your own disk stay as they are.</p>
      <template #footer
        ><button class="btn" @click="leaving = null">Keep it</button
        ><button class="btn main" @click="takeOff">Take it off</button></template
      >
    </Dialog>
  </div>
</template>

<style scoped>
.page {
  height: 100%;
  overflow: auto;
  padding: 12px 24px 24px;
}
.top {
  display: grid;
  grid-template-columns: 316px minmax(0, 1fr);
  gap: 20px;
}
.right {
  display: flex;
  flex-direction: column;
  justify-content: space-between;
  gap: 6px;
  min-width: 0;
}
.line {
  display: flex;
  align-items: baseline;
  gap: 14px;
  flex-wrap: wrap;
}
h1 {
  font: 600 22px/1.1 var(--hl-font-display);
}
.filters {
  display: flex;
  gap: 12px;
}
.filters button {
  border: 0;
  background: none;
  padding: 2px 0;
  min-height: 24px;
  font-size: 13px;
  color: var(--hl-ink-soft);
  cursor: pointer;
}
.filters button[aria-pressed='true'] {
  font-weight: 700;
  color: var(--hl-ink);
  border-bottom: 2px solid var(--hl-verdigris);
}
.find {
  width: 140px;
  height: 26px;
  border: 0;
  border-bottom: 1px solid var(--hl-rule-strong);
  background: none;
  font-size: 13px;
}
.find::placeholder {
  color: var(--hl-ink-faded);
}
.sheets {
  list-style: none;
  margin: 0;
  padding: 0;
  display: flex;
  border: 1px solid var(--hl-rule-strong);
  border-radius: 3px;
  background: var(--hl-sheet);
  min-height: 36px;
}
.sheets li {
  flex: 1 1 auto;
  width: 120px;
  display: flex;
  align-items: center;
  gap: 5px;
  padding: 2px 7px;
  border-left: 1px solid var(--hl-rule);
  font-size: 12.5px;
}
.sheets li:first-child {
  border-left: 0;
}
.sheets .name {
  flex: 1;
  line-height: 1.15;
  font-size: 12px;
}
.legend {
  display: flex;
  gap: 14px;
  font-size: 12.5px;
  color: var(--hl-ink-soft);
  flex-wrap: wrap;
}
.shelf {
  margin: 14px -24px 0;
  padding: 0 24px;
  display: grid;
  grid-template-columns: repeat(auto-fill, 236px);
  column-gap: 13px;
  row-gap: 26px;
  /* One plank a row: 190 of picture, then the board. */
  background: repeating-linear-gradient(
    var(--hl-paper) 0 186px,
    #1e2a2f 186px 187.4px,
    #dccfb4 187.4px 196px,
    #b9ab8c 196px 197px,
    rgba(70, 55, 30, 0.1) 197px 201px,
    transparent 201px 324px
  );
}
.shelf > * {
  height: 298px;
}
.more {
  display: flex;
  align-items: baseline;
  justify-content: center;
  gap: 12px;
  padding: 26px 0 10px;
}
.lost {
  margin-top: 10px;
  padding: 6px 10px;
  border: 1px solid var(--hl-rule);
  border-left: 4px solid var(--hl-stop-mark);
  background: #fdf6f3;
}
.empty {
  display: flex;
  flex-direction: column;
  align-items: center;
  gap: 10px;
  padding: 120px 40px;
  text-align: center;
}
.big {
  font-size: 22px;
  font-weight: 600;
}
@media (max-width: 1100px) {
  .top {
    grid-template-columns: 1fr;
  }
  .sheets .name {
    display: none;
  }
}
</style>
