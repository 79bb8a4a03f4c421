<script setup lang="ts">
// Folders of this machine that are watched: each saved model comes on the shelf by itself, as the next revision of what it was.
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query';
import Popover from 'primevue/popover';
import { ref } from 'vue';
import { api } from '../api/client';
import CutName from '../ui/CutName.vue';
import ResultMark from '../ui/ResultMark.vue';
import SureButton from '../ui/SureButton.vue';

const queries = useQueryClient();
const over = ref<InstanceType<typeof Popover>>();
const path = ref('');
const asBatch = ref(false);
const { data } = useQuery({ queryKey: ['watches'], queryFn: api.watches, refetchInterval: 4000 });
const renew = () => queries.invalidateQueries({ queryKey: ['watches'] });
const begin = useMutation({
  mutationFn: () => api.watchFolder(path.value.trim(), asBatch.value),
  onSuccess: () => {
    path.value = '';
    return renew();
  },
});
const end = useMutation({ mutationFn: (id: number) => api.watchNoMore(id), onSettled: renew });
</script>

<template>
  <button class="btn plain" aria-haspopup="dialog" @click="over?.toggle($event)">
    {{ data?.watches.length ? `Watching ${data.watches.length === 1 ? 'a folder' : `${data.watches.length} folders`}` : 'Watch a folder' }}
    …
  </button>
  <Popover ref="over" aria-label="Watched folders">
    <form class="watch" @submit.prevent="path.trim() && begin.mutate()">
      <label for="watched">Folder on this machine</label>
      <div class="line">
        <input id="watched" v-model="path" class="mono" placeholder="/home/me/exports" autofocus autocomplete="off" spellcheck="false" />
        <button class="btn main" :disabled="!path.trim() || begin.isPending.value">Watch it</button>
      </div>
      <label class="small"><input v-model="asBatch" type="checkbox" /> on one board, as a batch</label>
      <p v-if="begin.error.value" class="stop small" role="alert">{{ begin.error.value.message }}</p>
      <p class="faded small">Whatever is saved there comes on the shelf by itself, as the next revision of what it was before.</p>
      <ul v-if="data?.watches.length">
        <li v-for="w in data.watches" :key="w.id">
          <ResultMark :result="w.error ? 'stop' : 'clear'" :size="12" />
          <span class="mono small"><CutName :text="w.path" /></span>
          <span class="faded small">{{ w.models }} {{ w.models === 1 ? 'model' : 'models' }}</span>
          <SureButton label="Stop" asks="Really stop" :name="`watching ${w.path}`" @sure="end.mutate(w.id)" />
          <p v-if="w.error" class="stop small">{{ w.error }}</p>
        </li>
      </ul>
    </form>
  </Popover>
</template>

<style scoped>
.watch {
  display: grid;
  gap: 6px;
  width: 420px;
  font-size: 13px;
}
.line {
  display: flex;
  gap: 8px;
}
.line input {
  flex: 1;
  border: 0;
  border-bottom: 1px solid var(--hl-rule-strong);
  background: none;
  min-height: 26px;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
  display: grid;
  gap: 4px;
}
li {
  display: grid;
  grid-template-columns: 16px minmax(0, 1fr) auto auto;
  gap: 6px;
  align-items: center;
  border-top: 1px solid #eae2d2;
  padding-top: 4px;
}
li p {
  grid-column: 1 / -1;
}
</style>
