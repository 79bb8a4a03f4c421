<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query';
import Dialog from 'primevue/dialog';
import { useToast } from 'primevue/usetoast';
import { computed, ref } from 'vue';
import { api, type ShelfModel } from '../api/client';
import { jobs } from '../api/jobs';
import { useKeys } from '../app/keys';
import ResultCounts from '../ui/ResultCounts.vue';
import ResultMark from '../ui/ResultMark.vue';
import DropZone from './DropZone.vue';
import ShelfItem from './ShelfItem.vue';

const queries = useQueryClient();
const toast = useToast();
const { data, error, isPending, refetch } = useQuery({ queryKey: ['shelf'], queryFn: api.shelf });
const { data: catalogue } = useQuery({ queryKey: ['catalogue'], queryFn: api.catalogue, staleTime: Infinity });
const show = ref<'all' | 'held' | 'fit'>('all');
const find = ref('');
const zone = ref<InstanceType<typeof DropZone>>();
const leaving = ref<ShelfModel | null>(null);

const models = computed(() => data.value?.models ?? []);
const held = (m: ShelfModel) => m.verdicts.some((v) => v.counts && v.counts.stop > 0);
const fit = (m: ShelfModel) => m.verdicts.every((v) => v.counts && v.counts.stop === 0 && !v.not_looked_at.length);
const shown = computed(() =>
  models.value.filter((m) => (show.value === 'all' || (show.value === 'held' ? held(m) : fit(m))) && m.name.toLowerCase().includes(find.value.toLowerCase())),
);
const filters = computed(() => [
  { key: 'all' as const, label: 'Everything', n: models.value.length },
  { key: 'held' as const, label: 'Held', n: models.value.filter(held).length },
  { key: 'fit' as const, label: 'Fit everywhere', n: models.value.filter(fit).length },
]);
const triangles = computed(() => models.value.reduce((s, m) => s + (m.triangles ?? 0), 0));
const reading = computed(() => models.value.filter((m) => m.state === 'waiting' || m.state === 'running').length);
/** A drop that failed made no model, so it is told of here. */
const lostDrops = computed(() => jobs.jobs.filter((j) => j.kind === 'intake' && j.state === 'failed'));
const stopsOn = (slug: string) => models.value.filter((m) => (m.verdicts.find((v) => v.sheet === slug)?.counts?.stop ?? 0) > 0).length;

const remove = useMutation({
  mutationFn: (m: ShelfModel) => api.removeModel(m.id),
  onError: (e) => toast.add({ severity: 'error', summary: e.message, life: 8000 }),
  onSettled: () => queries.invalidateQueries({ queryKey: ['shelf'] }),
});
const again = useMutation({ mutationFn: (m: ShelfModel) => api.readAgain(m.revision), onSettled: () => queries.invalidateQueries({ queryKey: ['shelf'] }) });
function takeOff() {
  if (leaving.value) remove.mutate(leaving.value);
  leaving.value = null;
}

useKeys('Shelf', [
  { keys: ['d'], says: 'choose files', run: () => zone.value?.choose() },
]);
</script>

<template>
  <div class="page">
    <div class="top">
      <DropZone ref="zone" />
      <div class="right">
        <div class="line">
          <h1>Shelf</h1>
          <span class="faded">{{ models.length }} {{ models.length === 1 ? 'model' : 'models' }} · {{ triangles.toLocaleString('en') }} triangles<template v-if="reading"> · {{ reading }} still being read</template></span>
          <span class="grow" />
          <div class="filters" role="group" aria-label="Show">
            <button v-for="f in filters" :key="f.key" :aria-pressed="show === f.key" @click="show = f.key">{{ f.label }} <span class="mono faded">{{ f.n }}</span></button>
          </div>
          <input v-model="find" class="find" type="search" placeholder="Find a model" aria-label="Find a model" />
        </div>
        <ul class="sheets" aria-label="Rule sheets, with how many models each holds back">
          <li v-for="s in catalogue?.sheets ?? []" :key="s.slug" :title="s.about">
            <span class="code">{{ s.code }}</span><span class="name">{{ s.name }}</span><ResultCounts :counts="{ stop: stopsOn(s.slug), caution: 0, note: 0 }" :size="12" />
          </li>
        </ul>
        <div class="legend">
          <span v-for="[k, w] in [['stop', 'will break there'], ['caution', 'may differ'], ['note', 'worth knowing'], ['clear', 'clear'], ['pending', 'not yet']]" :key="k"><ResultMark :result="k!" :size="12" /> {{ w }}</span>
        </div>
      </div>
    </div>

    <p v-for="j in lostDrops" :key="j.id" class="lost" role="alert"><ResultMark result="stop" /> <b>{{ j.title }}</b> did not work: {{ j.error }}</p>
    <div v-if="error" class="empty"><ResultMark result="stop" :size="22" /><p>{{ error.message }}</p><button class="btn" @click="refetch()">Try again</button></div>
    <div v-else-if="isPending" class="empty faded"><ResultMark result="pending" :size="22" /><p>Looking along the shelf …</p></div>
    <div v-else-if="!models.length" class="empty">
      <p class="display big">The shelf is empty.</p>
      <p class="faded">Drop a model with its textures anywhere on this page: glTF, OBJ, USD, COLLADA, 3MF, PLY, STL or OFF, a folder or a zip.</p>
    </div>
    <div v-else-if="!shown.length" class="empty faded"><p>No model here goes by that.</p></div>
    <ul v-else class="shelf">
      <ShelfItem v-for="m in shown" :key="m.id" :model="m" @remove="leaving = m" @again="again.mutate(m)" />
    </ul>

    <Dialog :visible="!!leaving" modal :header="`Take ${leaving?.name} off the shelf?`" @update:visible="leaving = null">
      <p>Its revisions, mends and exports here go with it. The files on your own disk stay as they are.</p>
      <template #footer><button class="btn" @click="leaving = null">Keep it</button><button class="btn main" @click="takeOff">Take it off</button></template>
    </Dialog>
  </div>
</template>

<style scoped>
.page { height: 100%; overflow: auto; padding: 12px 24px 24px; }
.top { display: grid; grid-template-columns: 316px minmax(0, 1fr); gap: 20px; }
.right { display: flex; flex-direction: column; justify-content: space-between; gap: 6px; min-width: 0; }
.line { display: flex; align-items: baseline; gap: 14px; flex-wrap: wrap; }
h1 { font: 600 22px/1.1 var(--hl-font-display); }
.filters { display: flex; gap: 12px; }
.filters button { border: 0; background: none; padding: 2px 0; min-height: 24px; font-size: 13px; color: var(--hl-ink-soft); cursor: pointer; }
.filters button[aria-pressed='true'] { font-weight: 700; color: var(--hl-ink); border-bottom: 2px solid var(--hl-verdigris); }
.find { width: 140px; height: 26px; border: 0; border-bottom: 1px solid var(--hl-rule-strong); background: none; font-size: 13px; }
.find::placeholder { color: var(--hl-ink-faded); }
.sheets { list-style: none; margin: 0; padding: 0; display: flex; border: 1px solid var(--hl-rule-strong); border-radius: 3px; background: var(--hl-sheet); min-height: 36px; }
.sheets li { flex: 1 1 auto; width: 120px; display: flex; align-items: center; gap: 5px; padding: 2px 7px; border-left: 1px solid var(--hl-rule); font-size: 12.5px; }
.sheets li:first-child { border-left: 0; }
.sheets .name { flex: 1; line-height: 1.15; font-size: 12px; }
.legend { display: flex; gap: 14px; font-size: 12.5px; color: var(--hl-ink-soft); flex-wrap: wrap; }
.shelf { margin: 14px -24px 0; padding: 0 24px; display: grid; grid-template-columns: repeat(auto-fill, 236px); column-gap: 13px; row-gap: 26px;
  /* One plank a row: 190 of picture, then the board. */
  background: repeating-linear-gradient(var(--hl-paper) 0 186px, #1e2a2f 186px 187.4px, #dccfb4 187.4px 196px, #b9ab8c 196px 197px, rgba(70, 55, 30, 0.1) 197px 201px, transparent 201px 324px); }
.shelf > * { height: 298px; }
.lost { margin-top: 10px; padding: 6px 10px; border: 1px solid var(--hl-rule); border-left: 4px solid var(--hl-stop-mark); background: #fdf6f3; }
.empty { display: flex; flex-direction: column; align-items: center; gap: 10px; padding: 120px 40px; text-align: center; }
.big { font-size: 22px; font-weight: 600; }
@media (max-width: 1100px) { .top { grid-template-columns: 1fr; } .sheets .name { display: none; } }
</style>
