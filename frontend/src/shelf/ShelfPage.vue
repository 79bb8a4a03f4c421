<script setup lang="ts">
import { keepPreviousData, useInfiniteQuery, useMutation, useQuery, useQueryClient } from '@tanstack/vue-query';
import { useToast } from 'primevue/usetoast';
import { computed, ref, watch } from 'vue';
import { api, type ShelfModel } from '../api/client';
import { jobs } from '../api/jobs';
import { useKeys } from '../app/keys';
import ResultCounts from '../ui/ResultCounts.vue';
import ResultMark from '../ui/ResultMark.vue';
import DropZone from './DropZone.vue';
import ManyBar from './ManyBar.vue';
import ShelfItem from './ShelfItem.vue';
import WatchField from './WatchField.vue';
import { undoable } from './undo';
import { useMany } from './useMany';

const queries = useQueryClient();
const toast = useToast();
const { data: catalogue } = useQuery({ queryKey: ['catalogue'], queryFn: api.catalogue, staleTime: Infinity });
const show = ref('all');
const find = ref('');
/** Whose verdict counts; every sheet's where none is chosen. */
const sheet = ref('');
const folder = ref('');
const tag = ref('');
const age = ref('');
const sort = ref('touched');
const chosen = ref(new Set<number>());
const zone = ref<InstanceType<typeof DropZone>>();

/** What is searched for, once the typing rests. */
const sought = ref('');
let resting = 0;
watch(find, (text) => {
  window.clearTimeout(resting);
  resting = window.setTimeout(() => (sought.value = text.trim()), 200);
});
const asked = computed(() => ({
  search: sought.value,
  show: show.value,
  sheet: sheet.value,
  folder: folder.value,
  tag: tag.value,
  age: age.value,
  sort: sort.value,
}));
watch(asked, () => (chosen.value = new Set()));
const { data, error, isPending, refetch, hasNextPage, isFetchingNextPage, fetchNextPage } = useInfiniteQuery({
  queryKey: computed(() => ['shelf', 'pages', asked.value]),
  queryFn: ({ pageParam }) => api.shelf(asked.value, pageParam),
  initialPageParam: 0,
  getNextPageParam: (last, all) => {
    const shown = all.reduce((n, p) => n + p.models.length, 0);
    return last.models.length && shown < last.found ? shown : undefined;
  },
  placeholderData: keepPreviousData,
  // What a batch reads is not told of job by job.
  refetchInterval: (q) => (q.state.data?.pages[0]?.totals.reading ? 4000 : false),
});
// Between two pages something may have been touched and so moved: each model is shown once.
const shown = computed(() => [...new Map((data.value?.pages ?? []).flatMap((p) => p.models).map((m) => [m.id, m])).values()]);
const found = computed(() => data.value?.pages.at(-1)?.found ?? 0);
const totals = computed(() => data.value?.pages.at(-1)?.totals);
const filters = computed(() => [
  { key: 'all' as const, label: 'Everything', n: totals.value?.models ?? 0 },
  { key: 'held' as const, label: 'Held', n: totals.value?.held ?? 0 },
  { key: 'fit' as const, label: 'Fit everywhere', n: totals.value?.fit ?? 0 },
  ...(totals.value?.off || show.value === 'off' ? [{ key: 'off' as const, label: 'Taken off', n: totals.value?.off ?? 0 }] : []),
]);
const last = computed(() => data.value?.pages.at(-1));
const folders = computed(() => last.value?.folders ?? []);
const tags = computed(() => last.value?.tags ?? []);
const narrowed = computed(() => !!(folder.value || tag.value || age.value || sheet.value || sought.value || show.value !== 'all'));
function asBefore() {
  for (const one of [folder, tag, age, sheet, find, sought]) one.value = '';
  show.value = 'all';
}
const reading = computed(() => totals.value?.reading ?? 0);
/** A drop that failed made no model, so it is told of here. */
const lostDrops = computed(() => jobs.jobs.filter((j) => j.kind === 'intake' && j.state === 'failed'));
const stopsOn = (slug: string) => totals.value?.stops[slug] ?? 0;

const { act } = useMany();
const again = useMutation({
  mutationFn: (m: ShelfModel) => api.readAgain(m.revision),
  onSettled: () => queries.invalidateQueries({ queryKey: ['shelf'] }),
});
function choose(model: number, through: boolean) {
  const next = new Set(chosen.value);
  const ids = shown.value.map((m) => m.id);
  const from = through && before !== null ? ids.indexOf(before) : -1;
  const to = ids.indexOf(model);
  // With Shift everything between two is chosen, as in any list.
  if (from >= 0) for (const id of ids.slice(Math.min(from, to), Math.max(from, to) + 1)) next.add(id);
  else if (!next.delete(model)) next.add(model);
  before = model;
  chosen.value = next;
}
let before: number | null = null;
async function chooseAll() {
  try {
    chosen.value = new Set((await api.chosen(asked.value)).models);
  } catch (e) {
    toast.add({ severity: 'error', summary: (e as Error).message, life: 8000 });
  }
}

useKeys('Shelf', [
  { keys: ['d'], says: 'choose files', run: () => zone.value?.choose() },
  { keys: ['a'], says: 'choose all models that are shown', run: () => void chooseAll() },
  { keys: ['Escape'], says: 'choose none', run: () => (chosen.value = new Set()) },
]);
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
          <input
            v-model="find"
            class="find"
            type="search"
            placeholder="Name, part, material, finding"
            aria-label="Find a model by its name, a part, a material or a finding"
          />
        </div>
        <ul class="sheets" aria-label="Rule sheets, with how many models each holds back">
          <li v-for="s in catalogue?.sheets ?? []" :key="s.slug" :title="s.about">
            <button :aria-pressed="sheet === s.slug" @click="sheet = sheet === s.slug ? '' : s.slug">
              <span class="code">{{ s.code }}</span><span class="name">{{ s.name }}</span
              ><ResultCounts :counts="{ stop: stopsOn(s.slug), caution: 0, note: 0 }" :size="12" />
            </button>
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
    <div class="narrow small">
      <label v-if="folders.length"
        >Folder
        <select v-model="folder">
          <option value="">all</option>
          <option v-for="f in folders" :key="f.name" :value="f.name">{{ f.name }} ({{ f.models }})</option>
        </select></label
      >
      <label v-if="tags.length"
        >Tag
        <select v-model="tag">
          <option value="">all</option>
          <option v-for="t in tags" :key="t.name" :value="t.name">{{ t.name }} ({{ t.models }})</option>
        </select></label
      >
      <label
        >Changed
        <select v-model="age">
          <option value="">at any time</option>
          <option value="today">within a day</option>
          <option value="week">within a week</option>
          <option value="older">longer ago</option>
        </select></label
      >
      <label
        >Sorted by
        <select v-model="sort">
          <option value="touched">last change</option>
          <option value="name">name</option>
          <option value="verdict">verdict, worst first</option>
          <option value="size">triangles</option>
        </select></label
      >
      <button v-if="narrowed" class="btn plain" @click="asBefore">Show everything</button>
      <span v-if="narrowed" class="faded">{{ found.toLocaleString('en') }} found</span>
      <span class="grow" />
      <span v-if="undoable" class="undo" role="status"
        >{{ undoable.says }} <button v-if="undoable.back" class="btn" @click="undoable.back()">Undo</button
        ><button class="btn plain" aria-label="Put this away" @click="undoable = null">×</button></span
      >
    </div>
    <ManyBar
      v-if="chosen.size"
      :chosen="[...chosen]"
      :found="found"
      :tags="tags.map((t) => t.name)"
      :off="show === 'off'"
      @none="chosen = new Set()"
      @all="chooseAll"
    />

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
      <ShelfItem
        v-for="m in shown"
        :key="m.id"
        :model="m"
        :chosen="chosen.has(m.id)"
        :choosing="chosen.size > 0"
        @choose="choose(m.id, $event)"
        @remove="act([m.id], 'take-off')"
        @back="act([m.id], 'bring-back')"
        @throw-away="act([m.id], 'throw-away')"
        @again="again.mutate(m)"
      />
    </ul>
    <p v-if="hasNextPage" class="more">
      <button class="btn" :disabled="isFetchingNextPage" @click="fetchNextPage()">Show more</button
      ><span class="faded">{{ shown.length.toLocaleString('en') }} of {{ found.toLocaleString('en') }} shown</span>
    </p>
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
  width: 200px;
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
  border-left: 1px solid var(--hl-rule);
  font-size: 12.5px;
}
.sheets button {
  flex: 1;
  display: flex;
  align-items: center;
  gap: 5px;
  padding: 2px 7px;
  border: 0;
  background: none;
  text-align: left;
  cursor: pointer;
}
.sheets button:hover {
  background: var(--hl-paper);
}
.sheets button[aria-pressed='true'] {
  background: var(--hl-verdigris-wash);
  box-shadow: inset 0 -2px 0 var(--hl-verdigris);
}
.narrow {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 6px 14px;
  margin-top: 8px;
  min-height: 26px;
  color: var(--hl-ink-soft);
}
.narrow select {
  max-width: 190px;
}
.undo {
  padding: 2px 4px 2px 10px;
  background: var(--hl-paper-deep);
  border: 1px solid var(--hl-rule);
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
@media (max-width: 1100px) {
  .top {
    grid-template-columns: 1fr;
  }
  .sheets .name {
    display: none;
  }
}
</style>
