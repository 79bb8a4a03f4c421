<script setup lang="ts">
// The destination's answer to an export, as a torn slip: what it refuses leads to the finding that says the same.
import { useMutation, useQuery } from '@tanstack/vue-query';
import Select from 'primevue/select';
import { computed, ref, watch } from 'vue';
import { api, type Export } from '../api/client';
import { jobs } from '../api/jobs';
import ResultMark from '../ui/ResultMark.vue';
import AnswerLines from './AnswerLines.vue';

const props = defineProps<{ made: Export }>();
const emit = defineEmits<{ changed: [] }>();
const { data: catalogue } = useQuery({ queryKey: ['catalogue'], queryFn: api.catalogue });
const sheet = ref(props.made.sheet);
const variant = ref('current');
const VARIANTS = [
  { value: 'current', words: 'as it is now' },
  { value: 'older', words: 'an older one, which knows less' },
  { value: 'stricter', words: 'a stricter one, with half the room' },
];
const last = computed(() => props.made.sendings[0]);
watch(
  last,
  (s) => {
    if (s) [sheet.value, variant.value] = [s.sheet, s.variant];
  },
  { immediate: true },
);
const under = computed(() => last.value && ['waiting', 'running'].includes(last.value.state));
const job = computed(() => jobs.jobs.find((j) => j.subject.sending === last.value?.id));
const send = useMutation({
  mutationFn: () => api.send(props.made.id, sheet.value, variant.value),
  onSettled: () => emit('changed'),
});
const nameOf = (slug: string) => catalogue.value?.sheets.find((s) => s.slug === slug)?.name ?? slug;
</script>

<template>
  <div class="gate">
    <h2>The destination's answer</h2>
    <AnswerLines
      v-if="last?.answer && !under"
      :answer="last.answer"
      :by="`${nameOf(last.sheet)}, ${VARIANTS.find((v) => v.value === last!.variant)?.words}`"
      :picture="last.picture ? `/api/sendings/${last.id}/picture` : null"
      :revision="made.revision"
    />
    <p v-if="under" class="small" role="status">
      <ResultMark result="pending" :size="14" /> {{ job?.phase ?? 'waiting' }} …
      <progress :value="job?.share ?? 0" />
      <button v-if="job" class="btn" @click="api.stopJob(job.id).then(() => emit('changed'))">Stop</button>
    </p>
    <p v-else-if="last?.error" class="stop small" role="alert">{{ last.error }}</p>
    <p v-if="send.error.value" class="stop small" role="alert">{{ send.error.value.message }}</p>
    <div v-if="!under" class="ask">
      <Select
        v-model="sheet"
        :options="catalogue?.sheets ?? []"
        option-label="name"
        option-value="slug"
        size="small"
        aria-label="Whose destination"
      />
      <Select v-model="variant" :options="VARIANTS" option-label="words" option-value="value" size="small" aria-label="Which kind of it" />
      <button class="btn" :disabled="send.isPending.value" @click="send.mutate()">{{ last ? 'Send it again' : 'Send it' }}</button>
    </div>
    <p class="small faded">A stand-in on this machine takes it and answers; it reads the files by itself, by rules of its own.</p>
  </div>
</template>

<style scoped>
.gate {
  display: grid;
  gap: 6px;
}
h2 {
  font: 600 18px/1.2 var(--hl-font-display);
}
.ask {
  display: flex;
  gap: 6px;
  flex-wrap: wrap;
}
.ask :deep(.p-select) {
  flex: 1 1 150px;
  min-width: 0;
}
progress {
  width: 120px;
  accent-color: var(--hl-verdigris);
}
</style>
