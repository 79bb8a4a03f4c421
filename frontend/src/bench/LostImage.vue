<script setup lang="ts">
// Files that a lost reference may mean, each with its picture and the reason; one is taken by the mend, never by itself.
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query';
import { computed } from 'vue';
import { api } from '../api/client';
import { jobs } from '../api/jobs';
import CutName from '../ui/CutName.vue';
import { useBench } from './useBench';

const props = defineProps<{ reference: string }>();
const state = useBench('reading', 'changes', 'tape');
const queries = useQueryClient();
const revision = computed(() => state.bench.value!.revision.id);
const { data, isPending, isError } = useQuery({
  queryKey: computed(() => ['lost-images', revision.value]),
  queryFn: () => api.lostImages(revision.value),
  refetchInterval: (q) => (['waiting', 'running'].includes(q.state.data?.looked.state ?? '') ? 700 : false),
});
const image = computed(() => data.value?.images.find((i) => i.reference === props.reference));
const looking = computed(() => ['waiting', 'running'].includes(data.value?.looked.state ?? ''));
const job = computed(() => jobs.jobs.find((j) => j.kind === 'look' && j.subject.revision === revision.value && j.state !== 'done'));
const look = useMutation({
  mutationFn: () => api.lookForImages(revision.value),
  onSettled: () => queries.invalidateQueries({ queryKey: ['lost-images', revision.value] }),
});
const picture = (content: number) => `/api/revisions/${revision.value}/lost-images/${content}`;
const candidates = computed(() => image.value?.candidates ?? []);
const params = (path: string) => ({ images: props.reference, file: path });
</script>

<template>
  <p v-if="isPending" class="faded small">Looking for it …</p>
  <p v-else-if="isError" class="faded small">Files with such a name could not be looked up.</p>
  <p v-else-if="!candidates.length" class="faded small">
    No file that came with it, or in an earlier upload, has such a name. Drop the image on this page to bring it as the next revision.
  </p>
  <ul v-else class="offered" :aria-label="`Files that ${reference} may be`">
    <li v-for="c in candidates" :key="c.path">
      <img :src="picture(c.content)" alt="" width="34" height="34" loading="lazy" />
      <span
        ><CutName :text="c.path" /><small class="faded">{{ c.reason }}{{ c.own ? '' : ', of an earlier upload' }}</small></span
      >
      <button
        class="btn plain"
        :disabled="state.onTape('textures.find', params(c.path)) || state.lay.isPending.value"
        @click="state.put('textures.find', params(c.path))"
      >
        {{ state.onTape('textures.find', params(c.path)) ? 'on the tape' : 'use it' }}
      </button>
    </li>
  </ul>
  <div v-if="image?.before" class="before">
    <img :src="picture(image.before.content)" alt="" width="34" height="34" />
    <span class="small">as it was in rev {{ image.before.number }}</span>
    <span v-if="looking" class="small faded" role="status">
      {{ job?.phase ?? 'waiting' }} … <button v-if="job" class="btn plain" @click="api.stopJob(job.id)">Stop</button></span
    >
    <button v-else class="btn" :disabled="look.isPending.value" @click="look.mutate()">
      {{ data?.looked.state === 'none' ? 'Look for images like it' : 'Look for images like it again' }}
    </button>
    <span v-if="data?.looked.error" class="stop small" role="alert">{{ data.looked.error }}</span>
    <span v-if="data?.looked.state === 'done' && !candidates.some((c) => c.reason.startsWith('looks like'))" class="small faded">
      none of those that are here looks like it
    </span>
  </div>
</template>

<style scoped>
.offered {
  list-style: none;
  margin: 0 0 6px;
  padding: 0;
}
li {
  display: flex;
  gap: 7px;
  align-items: center;
  border-top: 1px solid var(--hl-rule);
  padding: 3px 0;
}
li > span {
  display: flex;
  flex-direction: column;
  flex: 1;
  min-width: 0;
}
.before {
  display: flex;
  gap: 7px;
  align-items: center;
  flex-wrap: wrap;
  margin-bottom: 6px;
}
img {
  object-fit: contain;
  background: var(--hl-paper-deep);
  border: 1px solid var(--hl-rule);
}
</style>
