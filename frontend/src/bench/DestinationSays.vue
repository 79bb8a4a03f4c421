<script setup lang="ts">
// What the destination would say to the model if it were written now, and which files that were: asked before anything is written.
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query';
import { computed } from 'vue';
import { api } from '../api/client';
import { jobs } from '../api/jobs';
import AnswerLines from '../proof/AnswerLines.vue';
import ResultMark from '../ui/ResultMark.vue';
import { bytes } from '../ui/bytes';
import { useBench } from './useBench';

const props = defineProps<{ format: string; options?: Record<string, unknown> }>();
const state = useBench('reading', 'choices');
const client = useQueryClient();
const inspection = computed(() => state.bench.value?.reading?.inspection ?? null);
const key = computed(() => ['asking', inspection.value, props.format, JSON.stringify(props.options ?? {}), state.bench.value?.version]);
const { data, error } = useQuery({
  queryKey: key,
  queryFn: () => api.asking(inspection.value!, props.format, props.options ?? {}, false),
  enabled: computed(() => inspection.value !== null),
  refetchInterval: (q) => (['waiting', 'running'].includes(q.state.data?.state ?? '') ? 400 : false),
});
const ask = useMutation({
  mutationFn: () => api.asking(inspection.value!, props.format, props.options ?? {}, true),
  onSuccess: (made) => client.setQueryData(key.value, made),
});
const under = computed(() => ['waiting', 'running'].includes(data.value?.state ?? ''));
const job = computed(() => jobs.jobs.find((j) => j.id === data.value?.job));
const trouble = computed(() => ask.error.value?.message ?? error.value?.message ?? data.value?.error ?? '');
const total = computed(() => (data.value?.files ?? []).reduce((sum, f) => sum + f.bytes, 0));
</script>

<template>
  <div class="says">
    <p v-if="under" class="small" role="status">
      <ResultMark result="pending" :size="14" /> {{ job?.phase ?? 'waiting' }} … <progress :value="job?.share ?? 0" />
      <button v-if="job" class="btn" @click="api.stopJob(job.id)">Stop</button>
    </p>
    <template v-else-if="data?.answer">
      <AnswerLines
        :answer="data.answer"
        :by="`${state.sheet.value?.name}, were it sent now`"
        :picture="data.picture ? `/api/askings/${data.id}/picture` : null"
        :revision="state.bench.value!.revision.id"
        :size="96"
      />
      <details class="small">
        <summary>{{ data.files.length }} {{ data.files.length === 1 ? 'file' : 'files' }} would be written, {{ bytes(total) }}</summary>
        <table>
          <tbody>
            <tr v-for="f in data.files" :key="f.path">
              <td class="mono">{{ f.path }}</td>
              <td class="mono r">{{ bytes(f.bytes) }}</td>
            </tr>
          </tbody>
        </table>
      </details>
    </template>
    <p v-else-if="trouble" class="stop small" role="alert">{{ trouble }}</p>
    <button v-if="!under && !data?.answer" class="btn" :disabled="ask.isPending.value || inspection === null" @click="ask.mutate()">
      Ask what {{ state.sheet.value?.name }} would say to it
    </button>
  </div>
</template>

<style scoped>
.says {
  margin-top: 4px;
  display: grid;
  gap: 5px;
  justify-items: start;
}
summary {
  cursor: pointer;
  min-height: 24px;
}
table {
  border-collapse: collapse;
  font-size: 12.5px;
}
td {
  border-bottom: 1px solid var(--hl-rule);
  padding: 2px 10px 2px 0;
}
.r {
  text-align: right;
}
progress {
  width: 120px;
  accent-color: var(--hl-verdigris);
}
</style>
