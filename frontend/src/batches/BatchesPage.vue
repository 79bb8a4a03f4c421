<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query';
import { useToast } from 'primevue/usetoast';
import { api, type Batch } from '../api/client';
import ResultCounts from '../ui/ResultCounts.vue';
import ResultMark from '../ui/ResultMark.vue';
import SureButton from '../ui/SureButton.vue';
import { doing, left, many } from './batch';

const queries = useQueryClient();
const toast = useToast();
const { data: catalogue } = useQuery({ queryKey: ['catalogue'], queryFn: api.catalogue, staleTime: Infinity });
const { data, error, isPending, refetch } = useQuery({ queryKey: ['batches'], queryFn: api.batches, refetchInterval: 3000 });
const code = (slug: string) => catalogue.value?.sheets.find((s) => s.slug === slug)?.code ?? slug;
const share = (b: Batch) => (b.models ? 1 - b.count.waiting / b.models : 1);
const remove = useMutation({
  mutationFn: (id: number) => api.removeBatch(id),
  onError: (e) => toast.add({ severity: 'error', summary: e.message, life: 8000 }),
  onSettled: () => queries.invalidateQueries({ queryKey: ['batches'] }),
});
const STATE = { running: '', paused: 'paused', stopped: 'stopped', done: '' };
</script>

<template>
  <div class="page">
    <h1>Batches</h1>
    <p class="faded">
      Many models against one rule sheet: judged together, mended together where they have the same trouble, written together.
    </p>
    <div v-if="error" class="empty">
      <ResultMark result="stop" :size="22" />
      <p>{{ error.message }}</p>
      <button class="btn" @click="refetch()">Try again</button>
    </div>
    <p v-else-if="isPending" class="empty faded">Looking for batches …</p>
    <div v-else-if="!data?.batches.length" class="empty">
      <p class="display big">No batch yet.</p>
      <p class="faded">
        Drop a folder with a dozen models or more on the <RouterLink to="/">Shelf</RouterLink> and it becomes one; or choose models there
        and press <b>Batch of these</b>.
      </p>
    </div>
    <ul v-else class="list">
      <li v-for="b in data.batches" :key="b.id">
        <RouterLink :to="`/batches/${b.id}`" class="name"
          >{{ b.name }} <em>against</em> <span class="code">{{ code(b.sheet) }}</span></RouterLink
        >
        <span class="faded small"
          >{{ many(b.models, 'model') }} · {{ [doing(b), STATE[b.state], left(b.seconds_left)].filter(Boolean).join(', ') }}</span
        >
        <i class="strip" role="img" :aria-label="`${Math.round(100 * share(b))} % done`"><b :style="{ width: `${100 * share(b)}%` }" /></i>
        <span class="counts"
          ><ResultCounts :counts="{ stop: b.stops, caution: b.cautions, note: 0 }" />
          <span class="faded small"
            >{{ b.count.held }} held · {{ b.count.cautions + b.count.fit }} fit · {{ b.count.proved }} proved</span
          ></span
        >
        <SureButton label="Throw away" asks="Really throw away" :name="b.name" @sure="remove.mutate(b.id)" />
      </li>
    </ul>
  </div>
</template>

<style scoped>
.page {
  padding: 14px 24px;
}
h1 {
  font: 600 22px/1.1 var(--hl-font-display);
}
.list {
  list-style: none;
  margin: 14px 0 0;
  padding: 0;
  border-top: 1px solid var(--hl-rule-strong);
}
.list li {
  display: grid;
  grid-template-columns: minmax(220px, 1.4fr) minmax(180px, 1fr) 120px minmax(220px, 1fr) auto;
  gap: 16px;
  align-items: center;
  min-height: 44px;
  border-bottom: 1px solid var(--hl-rule);
}
.name {
  font: 600 16px/1.2 var(--hl-font-display);
  color: var(--hl-ink);
  text-decoration: none;
  overflow-wrap: anywhere;
}
.name:hover {
  color: var(--hl-verdigris-text);
}
.name em {
  font-weight: 400;
  color: var(--hl-ink-faded);
}
.counts {
  display: flex;
  gap: 12px;
  align-items: center;
}
.strip {
  display: block;
  height: 8px;
  border: 1px solid var(--hl-rule-strong);
  background: var(--hl-sheet);
}
.strip b {
  display: block;
  height: 100%;
  background: var(--hl-verdigris);
}
@media (max-width: 900px) {
  .list li {
    grid-template-columns: 1fr auto;
    padding: 8px 0;
  }
}
</style>
